//! The rules that typing a sheet breaks, and the findings that it makes of them.

pub(crate) mod address;
pub(crate) mod bond;
pub(crate) mod gateway;
pub(crate) mod host_number;
pub(crate) mod link;
pub(crate) mod locale;
pub(crate) mod login;
pub(crate) mod mac;
pub(crate) mod mtu;
pub(crate) mod naming;
pub(crate) mod reference;
pub(crate) mod route;
pub(crate) mod secret;
pub(crate) mod servers;
pub(crate) mod subnet;
pub(crate) mod timezone;
pub(crate) mod vlan;
pub(crate) mod wifi;
