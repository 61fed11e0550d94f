//! Why a page could not be read, or nothing be measured.

use std::time::Duration;

use thiserror::Error;

use crate::devtools::DevtoolsError;
use crate::page_budget::Excess;

/// Why there is no browser.
#[derive(Debug, Error)]
pub enum ChromiumError {
    /// None is installed.
    #[error(
        "no Chromium is installed on this machine: install Debian's package chromium; until then \
         slots can be typed by hand"
    )]
    Missing,
    /// It did not start.
    #[error(
        "Chromium did not start ({0}); start it by hand once to see why, and where the system forbids \
         its sandbox, --browser-without-sandbox does without it"
    )]
    NotStarted(String),
    /// It broke down later.
    #[error(transparent)]
    Devtools(#[from] DevtoolsError),
}

/// Why a page could not be read.
#[derive(Debug, Clone, Error)]
pub enum PageError {
    /// Nobody answers there.
    #[error(
        "{address} does not answer ({reason}); see that the address is right and the host is running"
    )]
    NoAnswer {
        /// The page.
        address: String,
        /// The browser's word for it.
        reason: String,
    },
    /// It leads to another address, and that to another one, without end.
    #[error(
        "{address} leads from one address to the next without end; see where its host sends visitors"
    )]
    Redirects {
        /// The page.
        address: String,
    },
    /// The host answered with an error.
    #[error("{address} answers {status}; see that the page is there and open to everybody")]
    Status {
        /// The page.
        address: String,
        /// The HTTP status.
        status: u16,
    },
    /// It is not a page.
    #[error("{address} is {media_type} and no page; give the address of a page")]
    NoPage {
        /// What was asked for.
        address: String,
        /// What came.
        media_type: String,
    },
    /// It does not come to an end.
    #[error(
        "{address} did not finish loading within {} s; measure it again when the host is faster",
        patience.as_secs()
    )]
    NeverLoads {
        /// The page.
        address: String,
        /// How long it was waited for.
        patience: Duration,
    },
    /// It costs more than a page may.
    #[error("{address} {excess}, which is more than a page may; it is left out")]
    TooMuch {
        /// The page.
        address: String,
        /// Of what.
        excess: Excess,
    },
    /// It does not answer the browser.
    #[error("{address} does not answer the browser; see whether a script on it runs without end")]
    Hangs {
        /// The page.
        address: String,
    },
    /// It broke down in the browser.
    #[error(
        "{address} broke down in the browser; see whether it needs more memory than a page may have"
    )]
    BrokeDown {
        /// The page.
        address: String,
    },
    /// The browser failed.
    #[error(transparent)]
    Browser(#[from] DevtoolsError),
    /// The page's own scripts got in the way.
    #[error("{address} could not be read ({reason})")]
    Unreadable {
        /// The page.
        address: String,
        /// The browser's words.
        reason: String,
    },
}

/// Why nothing could be measured.
#[derive(Debug, Error)]
pub enum MeasureError {
    /// Not an address that a browser can open.
    #[error("“{0}” is no address of a page: write it as in http://127.0.0.1:4811/visit.html")]
    Address(String),
    /// There is no browser.
    #[error(transparent)]
    Browser(#[from] ChromiumError),
    /// The gate could not be opened.
    #[error("the gate for the browser could not be opened: {0}")]
    Gate(#[from] std::io::Error),
    /// The page could not be read.
    #[error(transparent)]
    Page(#[from] PageError),
    /// It leads to a host that was not entered.
    #[error(
        "{from} leads to {to}, which was not entered; measure that address instead, or allow its host"
    )]
    Elsewhere {
        /// The address that was asked for.
        from: String,
        /// The host and port behind it.
        to: String,
    },
}

impl MeasureError {
    /// Whether the browser ended: another one may fare better.
    pub(crate) const fn is_end_of_browser(&self) -> bool {
        matches!(
            self,
            Self::Page(PageError::Browser(DevtoolsError::Gone))
                | Self::Browser(ChromiumError::Devtools(DevtoolsError::Gone))
        )
    }

    /// Whether the machine is at fault and not the page or the address: later it may go well.
    pub const fn is_transient(&self) -> bool {
        match self {
            Self::Gate(_)
            | Self::Browser(ChromiumError::NotStarted(_) | ChromiumError::Devtools(_))
            | Self::Page(PageError::Browser(_)) => true,
            Self::Address(_)
            | Self::Browser(ChromiumError::Missing)
            | Self::Page(_)
            | Self::Elsewhere { .. } => false,
        }
    }
}

impl From<DevtoolsError> for MeasureError {
    fn from(error: DevtoolsError) -> Self {
        Self::Browser(error.into())
    }
}
