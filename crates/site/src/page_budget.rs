//! What a page may cost while it is measured.

use std::fmt;
use std::time::Duration;

use brisk_margin_core::units::Bytes;

/// What a page may cost while it is measured.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct PageBudget {
    /// How long it may take to load, each time that it is opened.
    pub load: Duration,
    /// How long all of its measuring may take.
    pub whole: Duration,
    /// Files that it may ask for, each time that it is opened.
    pub requests: u64,
    /// Bytes of all that comes each time that it is opened, unpacked.
    pub bytes: Bytes,
    /// Bytes of its own text and that of its frames, unpacked.
    pub text: Bytes,
    /// Elements that it may have.
    pub elements: u64,
}

impl PageBudget {
    /// Far more than pages have that people can use.
    pub const USUAL: Self = Self {
        load: Duration::from_secs(20),
        whole: Duration::from_secs(300),
        requests: 5_000,
        bytes: Bytes(300_000_000),
        text: Bytes(20_000_000),
        elements: 100_000,
    };
}

/// Of what a page has more than it may.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Excess {
    /// Time for all of its measuring.
    Time(Duration),
    /// Files that it asks for.
    Requests(u64),
    /// Bytes of all that comes.
    Bytes(Bytes),
    /// Bytes of its own text.
    Text(Bytes),
    /// Elements.
    Elements(u64),
}

impl fmt::Display for Excess {
    fn fmt(&self, to: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Time(most) => write!(to, "takes longer than {} s to measure", most.as_secs()),
            Self::Requests(most) => write!(to, "asks for more than {most} files"),
            Self::Bytes(most) => write!(to, "loads more than {most}"),
            Self::Text(most) => write!(to, "is itself longer than {most}"),
            Self::Elements(most) => write!(to, "has more than {most} elements"),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_page_that_costs_too_much_is_told_of_what() {
        let told = |excess: Excess| excess.to_string();
        let usual = PageBudget::USUAL;
        assert_eq!(told(Excess::Bytes(usual.bytes)), "loads more than 300 MB");
        assert_eq!(told(Excess::Time(usual.whole)), "takes longer than 300 s to measure");
    }
}
