//! Manners: the ways in which a place can offer its files.

/// How a place offers its files. Each is tried where the one before moved something on the page.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Manner {
    /// All formats, and the size that the picture had by itself where the page names none.
    Sized,
    /// All formats.
    Plain,
    /// The format that every browser reads, in the element that is there, with that size.
    SizedSingle,
    /// The same without it.
    Single,
    /// All formats in a `style` attribute, which knows no viewports.
    Attribute,
    /// Not at all.
    Left,
}

impl Manner {
    pub(super) const fn is_sized(self) -> bool {
        matches!(self, Self::Sized | Self::SizedSingle)
    }

    pub(super) const fn is_single(self) -> bool {
        matches!(self, Self::SizedSingle | Self::Single)
    }

    /// The one to try next; where one element cannot offer the files by itself, none does.
    pub(super) const fn next(self, lacks_single: bool) -> Self {
        match self {
            Self::Sized => Self::Plain,
            Self::Plain if lacks_single => Self::Left,
            Self::Plain => Self::SizedSingle,
            Self::SizedSingle => Self::Single,
            Self::Single | Self::Attribute | Self::Left => Self::Left,
        }
    }
}
