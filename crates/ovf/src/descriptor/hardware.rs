//! `VirtualHardwareSection`, as far as settings depend on it (DSP0243 2.1.1, section 8).

use roxmltree::Node;

use super::units::in_bytes;
use super::xml::{attribute, children, text_of};

/// Resource types of the Common Information Model (DSP1043, `CIM_ResourceAllocationSettingData.ResourceType`).
const PROCESSOR: &str = "3";
const MEMORY: &str = "4";
const ETHERNET: &str = "10";
const OTHER_NETWORK: &str = "11";

/// What a virtual machine is made of.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Hardware {
    /// How settings may reach it: `iso` and names of platforms (DSP0243, section 11).
    pub transports: Vec<String>,
    /// Its network adapters in their order: the network that each is on.
    pub adapters: Vec<String>,
    quantities: Vec<Quantity>,
}

#[derive(Clone, Debug, PartialEq, Eq)]
struct Quantity {
    is_memory: bool,
    /// Processors, or bytes.
    amount: u64,
    /// The deployment options that it is for; all where it names none.
    options: Vec<String>,
}

/// How much of what a machine gets.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Size {
    /// Processors.
    pub processors: Option<u64>,
    /// Bytes of memory.
    pub memory_bytes: Option<u64>,
}

impl Hardware {
    pub(super) fn read(system: Node<'_, '_>) -> Self {
        let mut hardware = Self::default();
        for section in children(system, "VirtualHardwareSection") {
            let transports = attribute(section, "transport").unwrap_or_default();
            hardware.transports.extend(transports.split_whitespace().map(str::to_owned));
            for item in section
                .children()
                .filter(|node| matches!(node.tag_name().name(), "Item" | "EthernetPortItem" | "StorageItem"))
            {
                hardware.read_item(item);
            }
        }
        hardware
    }

    fn read_item(&mut self, item: Node<'_, '_>) {
        let kind = text_of(item, "ResourceType").unwrap_or_default();
        match kind {
            ETHERNET | OTHER_NETWORK => {
                self.adapters.extend(text_of(item, "Connection").map(str::to_owned));
            }
            PROCESSOR | MEMORY => {
                let is_memory = kind == MEMORY;
                let quantity = text_of(item, "VirtualQuantity").unwrap_or_default();
                let unit =
                    text_of(item, "AllocationUnits").unwrap_or(if is_memory { "byte * 2^20" } else { "" });
                let amount = if is_memory { in_bytes(quantity, unit) } else { quantity.parse().ok() };
                let options = attribute(item, "configuration").unwrap_or_default();
                if let Some(amount) = amount {
                    self.quantities.push(Quantity {
                        is_memory,
                        amount,
                        options: options.split_whitespace().map(str::to_owned).collect(),
                    });
                }
            }
            _ => {}
        }
    }

    /// What the machine gets with a deployment option, or without any.
    pub fn size(&self, option: Option<&str>) -> Size {
        let of = |is_memory: bool| {
            let mut fitting = self.quantities.iter().filter(|quantity| quantity.is_memory == is_memory);
            let own = option.and_then(|option| {
                fitting.clone().find(|quantity| quantity.options.iter().any(|named| named == option))
            });
            own.or_else(|| fitting.find(|quantity| quantity.options.is_empty()))
                .map(|quantity| quantity.amount)
        };
        Size { processors: of(false), memory_bytes: of(true) }
    }
}
