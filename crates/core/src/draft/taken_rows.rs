//! A file of rows that an entry of hosts is made of, and what its fields were taken for.

use super::fields::FieldRole;
use crate::sheet::RowsTable;

/// A file of rows that an entry of hosts is made of.
#[derive(Clone, Debug)]
pub(super) struct TakenRows {
    pub(super) table: RowsTable,
    pub(super) roles: Vec<(FieldRole, usize)>,
    /// Whether they are in the sheet.
    pub(super) is_written: bool,
}

impl TakenRows {
    /// The field that holds something.
    pub(super) fn field(&self, role: FieldRole) -> Option<&str> {
        let (_, index) = self.roles.iter().find(|(known, _)| *known == role)?;
        self.table.fields.get(*index).map(String::as_str)
    }

    /// What a field was taken for, with its first values.
    pub(super) fn shown(&self, role: FieldRole) -> String {
        let Some((_, index)) = self.roles.iter().find(|(known, _)| *known == role) else {
            return format!("{}: no field", role.word());
        };
        let values: Vec<&str> = self.table.values(*index).take(2).collect();
        let field = self.table.fields.get(*index).map_or("", String::as_str);
        format!("{}: the field \"{field}\" ({}, …)", role.word(), values.join(", "))
    }
}
