//! Tables: a line below bold headings, no other lines, and words that stay whole. Where not even the longest words have room beside
//! each other, each row is a block of lines.

use comfy_table::{ColumnConstraint, ContentArrangement, LineStyle, Table, TableStyle, Width};
use unicode_width::UnicodeWidthStr;

use super::screen::wrapping;
use super::theme::STRONG;

/// Blanks beside a cell.
const PADDING: usize = 2;
pub(super) fn new_table(width: usize) -> Table {
    let mut table = Table::new();
    // A line below the header only, so that addresses are easy to select.
    let rule = LineStyle::none().fill(if super::screen::shows_unicode() { '─' } else { '-' });
    table.load_style(TableStyle::new().header_separator(rule));
    table.set_content_arrangement(ContentArrangement::Dynamic);
    // The blank behind the last cell is cut off.
    table.set_width(u16::try_from(width.saturating_add(1)).unwrap_or(u16::MAX));
    table
}

/// The table as text, without the blanks that fill lines up to its width. Where it is too wide, cells are broken between words.
pub(super) fn finished(mut table: Table) -> String {
    let needed: Vec<usize> = longest_words(&mut table).iter().map(|length| length + PADDING).collect();
    let width = table.width().map_or(usize::MAX, usize::from);
    if needed.iter().sum::<usize>() > width {
        return in_blocks(&mut table, width - 1);
    }
    for (column, needed) in needed.into_iter().enumerate() {
        if let Some(found) = table.column_mut(column) {
            let cell = u16::try_from(needed).unwrap_or(u16::MAX);
            found.set_constraint(ColumnConstraint::LowerBoundary(Width::Fixed(cell)));
        }
    }
    let is_rule = |line: &String| !line.is_empty() && line.chars().all(|sign| matches!(sign, '─' | '-'));
    let cut = |line: String| {
        if is_rule(&line) { line.chars().take(width - 1).collect() } else { line.trim_end().to_owned() }
    };
    let lines: Vec<String> = table.lines().map(cut).collect();
    let headings = lines.iter().position(is_rule).unwrap_or(0);
    let shown = lines
        .iter()
        .enumerate()
        .map(|(nth, line)| if nth < headings { format!("{STRONG}{line}{STRONG:#}") } else { line.clone() });
    shown.collect::<Vec<_>>().join("\n")
}

/// The rows below each other: the first cell, and under it each other one behind its heading. A row whose first cell is empty goes on
/// with the one before. Lines of several cells that stand side by side stay together.
fn in_blocks(table: &mut Table, width: usize) -> String {
    let headings: Vec<String> =
        table.header().into_iter().flat_map(|row| row.cell_iter().map(comfy_table::Cell::content)).collect();
    let widest = headings.iter().skip(1).map(|heading| heading.width()).max().unwrap_or(0);
    let mut shown = Vec::new();
    for row in table.row_iter() {
        let mut cells = row.cell_iter().map(comfy_table::Cell::content);
        if let Some(first) = cells.next().filter(|first| !first.is_empty()) {
            shown.extend(first.lines().map(|line| format!(" {STRONG}{line}{STRONG:#}")));
        }
        let cells: Vec<String> = cells.collect();
        let cells: Vec<Vec<&str>> = cells.iter().map(|cell| cell.lines().collect()).collect();
        let are_parallel = cells.iter().filter(|lines| lines.len() > 1).count() > 1;
        let depth = cells.iter().map(Vec::len).max().unwrap_or(0);
        let groups = if are_parallel { depth } else { 1 };
        for group in 0..groups {
            for (heading, lines) in headings.iter().skip(1).zip(&cells) {
                let lines = if are_parallel { lines.get(group..=group).unwrap_or_default() } else { lines };
                let mut heading = heading.as_str();
                for line in lines.iter().filter(|line| !line.is_empty()) {
                    let start = format!("   {heading}{}  ", " ".repeat(widest - heading.width()));
                    let indent = " ".repeat(start.width());
                    let options = wrapping(width).initial_indent(&start).subsequent_indent(&indent);
                    let wrapped = textwrap::wrap(line, options).into_iter();
                    shown.extend(wrapped.map(|line| line.trim_end().to_owned()));
                    heading = "";
                }
            }
        }
    }
    shown.join("\n")
}

/// The longest word of each column.
fn longest_words(table: &mut Table) -> Vec<usize> {
    let mut longest = vec![0; table.column_count()];
    for row in table.header().into_iter().chain(table.row_iter()) {
        for (column, cell) in row.cell_iter().enumerate() {
            let content = cell.content();
            let word = content.split_whitespace().map(UnicodeWidthStr::width).max().unwrap_or(0);
            if let Some(known) = longest.get_mut(column) {
                *known = (*known).max(word);
            }
        }
    }
    longest
}
