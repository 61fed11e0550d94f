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

    /// Reads `host:port`, as a proxy is asked for a tunnel (RFC 9110, 9.3.6).
    pub fn parse(text: &str) -> Option<Self> {
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

/// Whether an address leads to this machine, in whatever form: loopback, no address at all, or one of
/// its own in a network.
pub(super) fn is_this_machine(ip: IpAddr) -> bool {
    let ip = plain(ip);
    let names_it = match ip {
        // The whole of 0.0.0.0/8 is “this host” (RFC 6890).
        IpAddr::V4(v4) => v4.is_loopback() || v4.octets()[0] == 0,
        IpAddr::V6(v6) => v6.is_loopback() || v6.is_unspecified(),
    };
    // Only an address of its own can be bound; nothing is sent by that.
    names_it || std::net::UdpSocket::bind((ip, 0)).is_ok()
}

/// An address as it is where it is wrapped in a longer one: mapped, compatible, or translated
/// (RFC 4291, 2.5.5; RFC 6052).
fn plain(ip: IpAddr) -> IpAddr {
    let IpAddr::V6(v6) = ip else { return ip };
    let segments = v6.segments();
    let inside = |high: u16, low: u16| {
        IpAddr::V4(std::net::Ipv4Addr::from(u32::from(high) << 16 | u32::from(low)))
    };
    match segments {
        _ if v6.is_loopback() || v6.is_unspecified() => ip,
        [0, 0, 0, 0, 0, 0 | 0xFFFF, high, low] | [0x64, 0xFF9B, 0, 0, 0, 0, high, low] => {
            inside(high, low)
        }
        // 6to4 (RFC 3056).
        [0x2002, high, low, ..] => inside(high, low),
        _ => ip,
    }
}

/// Whether an address leads to this machine or its own network.
pub(super) fn is_private(ip: IpAddr) -> bool {
    match plain(ip) {
        IpAddr::V4(v4) => {
            v4.is_loopback()
                || v4.is_private()
                || v4.is_link_local()
                || v4.octets()[0] == 0
                || v4.is_broadcast()
                || v4.is_multicast()
                // Shared address space, RFC 6598.
                || (v4.octets()[0] == 100 && v4.octets()[1] & 0xC0 == 64)
        }
        IpAddr::V6(v6) => {
            v6.is_loopback()
                || v6.is_unspecified()
                || v6.is_unique_local()
                || v6.is_unicast_link_local()
                || v6.is_multicast()
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
            "::127.0.0.1",
            "64:ff9b::7f00:1",
            "2002:7f00:1::",
            "::ffff:10.0.0.9",
            "0.9.9.9",
            "224.0.0.1",
            "ff02::1",
        ] {
            assert!(is_private(private.parse().unwrap()), "{private}");
        }
        for public in ["93.184.216.34", "2606:2800:220:1::1", "2002:5db8:d822::"] {
            assert!(!is_private(public.parse().unwrap()), "{public}");
        }
    }

    #[test]
    fn this_machine_is_known_by_every_address_that_leads_to_it() {
        for own in ["127.0.0.1", "127.9.9.9", "0.0.0.0", "0.1.2.3", "::", "::1", "::ffff:127.0.0.1"]
        {
            assert!(is_this_machine(own.parse().unwrap()), "{own}");
        }
        for other in ["93.184.216.34", "10.255.255.254", "2606:2800:220:1::1"] {
            assert!(!is_this_machine(other.parse().unwrap()), "{other}");
        }
    }
}
