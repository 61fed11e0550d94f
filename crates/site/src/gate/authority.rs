//! Hosts and ports, and which addresses are nobody's but this network's.

use std::net::IpAddr;

use url::Url;

/// A host and a port: `example.org:443`, in lower case.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Authority {
    pub(super) host: String,
    pub(super) port: u16,
}

impl Authority {
    /// The host and port of an `http` or `https` address.
    pub fn of(address: &Url) -> Option<Self> {
        if !matches!(address.scheme(), "http" | "https") {
            return None;
        }
        let host = address.host_str()?.to_ascii_lowercase();
        Some(Self { host, port: address.port_or_known_default()? })
    }

    pub(super) fn parse(text: &str) -> Option<Self> {
        Self::of(&Url::parse(&format!("http://{text}/")).ok()?).map(|found| Self {
            // `http` hides its default port.
            port: text
                .rsplit_once(':')
                .and_then(|(_, port)| port.parse().ok())
                .unwrap_or(found.port),
            ..found
        })
    }

    /// Whether the host is an address or the name of this machine, so that whoever entered it
    /// knew where it leads.
    pub(super) fn is_literal(&self) -> bool {
        self.host == "localhost" || self.host.trim_matches(['[', ']']).parse::<IpAddr>().is_ok()
    }
}

impl std::fmt::Display for Authority {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{}:{}", self.host, self.port)
    }
}

/// Whether an address leads to this machine or its own network.
pub(super) fn is_private(ip: IpAddr) -> bool {
    match ip {
        IpAddr::V4(v4) => {
            v4.is_loopback()
                || v4.is_private()
                || v4.is_link_local()
                || v4.is_unspecified()
                || v4.is_broadcast()
                // Shared address space, RFC 6598.
                || (v4.octets()[0] == 100 && v4.octets()[1] & 0xC0 == 64)
        }
        IpAddr::V6(v6) => {
            v6.is_loopback()
                || v6.is_unspecified()
                || v6.is_unique_local()
                || v6.is_unicast_link_local()
                || v6.to_ipv4_mapped().is_some_and(|v4| is_private(IpAddr::V4(v4)))
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn private_addresses_are_known_in_every_spelling() {
        for private in [
            "127.0.0.1",
            "10.1.2.3",
            "192.168.0.1",
            "169.254.169.254",
            "100.64.0.1",
            "0.0.0.0",
            "::1",
            "fe80::1",
            "fd00::1",
            "::ffff:127.0.0.1",
        ] {
            assert!(is_private(private.parse().unwrap()), "{private}");
        }
        assert!(!is_private("93.184.216.34".parse().unwrap()));
    }
}
