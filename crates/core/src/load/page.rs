//! Pages as they are loaded: what is requested, and what makes a browser ask for it.

use std::net::Ipv4Addr;

use serde::{Deserialize, Serialize};

use crate::units::Bytes;

/// What a page transfers, in the order in which it was discovered; the document stands first.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct PageRequests(pub Vec<Request>);

/// Something that a page transfers.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Request {
    /// Its address.
    pub address: String,
    /// What it is.
    pub kind: RequestKind,
    /// Bytes on the wire, headers of the answer among them.
    pub bytes: Bytes,
    /// What makes the browser ask for it.
    pub discovery: Discovery,
    /// How urgent it is.
    pub priority: Priority,
    /// By which protocol it comes.
    pub protocol: Protocol,
    /// Whether nothing is painted before it came.
    pub blocks: bool,
    /// Whether it comes only when somebody scrolls.
    pub lazy: bool,
    /// Whether it is the picture that counts as the largest paint (LCP).
    pub lcp: bool,
    /// The pixels that are decoded of a picture.
    pub pixels: u64,
}

/// A file of a picture, as far as it matters to a load.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub struct PictureFile {
    /// What it transfers.
    pub bytes: Bytes,
    /// The pixels that are decoded of it.
    pub pixels: u64,
}

/// What a request is for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum RequestKind {
    /// The page itself.
    Document,
    /// A style sheet.
    Style,
    /// A script.
    Script,
    /// A font.
    Font,
    /// A picture.
    Picture,
    /// Anything else: data, sound, video.
    Other,
}

/// What makes a browser ask for something.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Discovery {
    /// Somebody opened the page.
    Start,
    /// Another request, of which it stands behind a share of the bytes.
    Within {
        /// The place of that request in the list.
        by: usize,
        /// The share, 0 to 1; 1 where all of it has to be there.
        share: f64,
    },
    /// A style sheet, once the page can be laid out: when it and all that blocks are there.
    Layout {
        /// The place of the style sheet in the list.
        by: usize,
    },
}

/// How urgent a request is, the least urgent first (the names are those of the Fetch Standard's implementations).
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Priority {
    /// When nothing else is to do.
    Lowest,
    /// Pictures.
    Low,
    /// Pictures that may be large, scripts that wait.
    Medium,
    /// Scripts, pictures that are seen first.
    High,
    /// The page and its style sheets.
    Highest,
}

/// By which protocol requests come.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Protocol {
    /// HTTP/1.1 without TLS.
    Plain,
    /// HTTP/1.1 over TLS.
    Http1,
    /// HTTP/2 over TLS.
    Http2,
}

impl Protocol {
    /// Round trips before the first request on a new connection to a host whose name is known: TCP, and TLS 1.3
    /// (RFC 8446, 2).
    pub const fn hand_shakes(self) -> f64 {
        match self {
            Self::Plain => 1.0,
            Self::Http1 | Self::Http2 => 2.0,
        }
    }

    /// How many connections a browser opens to a host at most.
    pub const fn connections(self) -> usize {
        match self {
            Self::Plain | Self::Http1 => 6,
            Self::Http2 => 1,
        }
    }

    /// Whether answers share a connection.
    pub const fn multiplexes(self) -> bool {
        matches!(self, Self::Http2)
    }
}

impl Request {
    /// Scheme, host and port, as they stand in its address.
    pub fn origin(&self) -> &str {
        let start = self.address.find("://").map_or(0, |at| at + 3);
        let end =
            self.address[start..].find(['/', '?', '#']).map_or(self.address.len(), |at| start + at);
        &self.address[..end]
    }

    /// Whether its host is a name, which has to be looked up, and no number.
    pub fn has_name(&self) -> bool {
        let host = self.origin().rsplit("://").next().unwrap_or_default();
        let name = host.rsplit_once(':').map_or(host, |(name, _)| name);
        !host.starts_with('[') && name.parse::<Ipv4Addr>().is_err()
    }
}

impl PageRequests {
    /// The list without some requests and what only those named, which counts as named by the document.
    pub fn without(self, is_left_out: impl Fn(&Request) -> bool) -> Self {
        let mut places = Vec::with_capacity(self.0.len());
        let mut kept: Vec<Request> = Vec::new();
        for mut request in self.0 {
            if is_left_out(&request) {
                places.push(None);
                continue;
            }
            if let Discovery::Within { by, .. } | Discovery::Layout { by } = &mut request.discovery
            {
                *by = places.get(*by).copied().flatten().unwrap_or(0);
            }
            places.push(Some(kept.len()));
            kept.push(request);
        }
        Self(kept)
    }

    /// With its addresses as `name` has them.
    pub fn named(mut self, name: impl Fn(&str) -> String) -> Self {
        for request in &mut self.0 {
            request.address = name(&request.address);
        }
        self
    }

    /// The same over another protocol, as where a site is looked at on this machine and served elsewhere.
    pub fn over(self, protocol: Protocol) -> Self {
        Self(self.0.into_iter().map(|request| Request { protocol, ..request }).collect())
    }

    /// With the heaviest picture that is not lazy as the one of the largest paint, where none is known.
    pub fn with_largest(mut self) -> Self {
        let pictures =
            self.0.iter().enumerate().filter(|(_, r)| r.kind == RequestKind::Picture && !r.lazy);
        let heaviest = pictures.max_by_key(|(n, request)| (request.bytes, std::cmp::Reverse(*n)));
        let heaviest =
            heaviest.map(|(n, _)| n).filter(|_| !self.0.iter().any(|request| request.lcp));
        if let Some(n) = heaviest {
            self.0[n].lcp = true;
        }
        self
    }

    /// With pictures as light and small as `file` says of their addresses, where that is less.
    pub fn lighter(mut self, file: impl Fn(&str) -> Option<PictureFile>) -> Self {
        for request in self.0.iter_mut().filter(|request| request.kind == RequestKind::Picture) {
            if let Some(PictureFile { bytes, pixels }) = file(&request.address) {
                request.bytes = request.bytes.min(bytes);
                request.pixels = request.pixels.min(pixels);
            }
        }
        self
    }
}
