//! Connections: what lies between a browser and the hosts of a page.

use std::fmt;
use std::str::FromStr;

use serde::{Deserialize, Serialize};
use thiserror::Error;

use crate::units::{Bytes, Millis};

/// What lies between a browser and the hosts of a page, by its figures.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub struct Connection {
    down: u32,
    rtt: u32,
    server: u32,
}

impl Connection {
    /// The connection whose time is told where none is chosen: 1.6 Mbit/s · 150 ms.
    pub const USUAL: Self = Self { down: 1_600, rtt: 150, server: 0 };
    /// Those to choose from, the slowest first.
    pub const ALL: [Self; 4] = [
        Self { down: 400, rtt: 400, server: 0 },
        Self::USUAL,
        Self { down: 9_000, rtt: 85, server: 0 },
        Self { down: 30_000, rtt: 40, server: 0 },
    ];

    /// A connection of `down` kbit/s towards the browser (16 to 10,000,000), where a packet and its answer take
    /// `rtt` ms together (0 to 10,000) and a server thinks for `server` ms (0 to 60,000).
    ///
    /// # Errors
    /// [`ConnectionError`] outside those ranges.
    pub const fn new(down: u32, rtt: u32, server: u32) -> Result<Self, ConnectionError> {
        if down < 16 || down > 10_000_000 {
            return Err(ConnectionError::Rate(down));
        }
        if rtt > 10_000 || server > 60_000 {
            return Err(ConnectionError::Delay);
        }
        Ok(Self { down, rtt, server })
    }

    /// Kilobits per second towards the browser.
    pub const fn down(self) -> u32 {
        self.down
    }

    /// How long a packet and its answer take together.
    pub const fn rtt(self) -> Millis {
        Millis::whole(self.rtt)
    }

    /// How long a server thinks before it answers.
    pub const fn server(self) -> Millis {
        Millis::whole(self.server)
    }

    /// Bytes that come in a millisecond, headers of packets among them.
    pub fn rate(self) -> f64 {
        f64::from(self.down) / 8.0
    }

    /// Bytes of files that come in a millisecond: of each packet of 1,500 bytes, 52 are headers (RFC 791, RFC 9293,
    /// with the time stamps of RFC 7323).
    pub fn goodput(self) -> f64 {
        self.rate() * 1_448.0 / 1_500.0
    }

    /// How long `bytes` take where nothing else comes.
    pub fn time_of(self, bytes: Bytes) -> Millis {
        Millis::new(bytes.get() as f64 / self.goodput()).unwrap_or_default()
    }
}

impl fmt::Display for Connection {
    /// By its figures: `1.6 Mbit/s · 150 ms`.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} Mbit/s · {} ms", f64::from(self.down) / 1e3, self.rtt)?;
        match self.server {
            0 => Ok(()),
            server => write!(f, " · server {server} ms"),
        }
    }
}

impl FromStr for Connection {
    type Err = ConnectionError;

    /// As in `1600/150`: kbit/s, ms there and back, and where it matters how long servers think.
    fn from_str(text: &str) -> Result<Self, ConnectionError> {
        let unread = || ConnectionError::Unread(text.to_owned());
        let figures: Result<Vec<u32>, _> =
            text.split('/').map(|part| part.trim().parse()).collect();
        match figures.map_err(|_| unread())?[..] {
            [down, rtt] => Self::new(down, rtt, 0),
            [down, rtt, server] => Self::new(down, rtt, server),
            _ => Err(unread()),
        }
    }
}

impl TryFrom<String> for Connection {
    type Error = ConnectionError;

    fn try_from(text: String) -> Result<Self, ConnectionError> {
        text.parse()
    }
}

impl From<Connection> for String {
    fn from(Connection { down, rtt, server }: Connection) -> Self {
        match server {
            0 => format!("{down}/{rtt}"),
            _ => format!("{down}/{rtt}/{server}"),
        }
    }
}

/// What is no connection.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum ConnectionError {
    /// No figures.
    #[error("“{0}” is no connection: give kbit/s and milliseconds, as in 1600/150")]
    Unread(String),
    /// Nothing comes, or more than any link carries.
    #[error("a connection carries 16 to 10,000,000 kbit/s, not {0}")]
    Rate(u32),
    /// Longer than anybody waits.
    #[error("a packet and its answer take up to 10,000 ms, a server up to 60,000 ms")]
    Delay,
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_connection_is_named_by_its_figures_and_read_back() {
        for connection in Connection::ALL {
            let text = String::from(connection);
            assert_eq!(text.parse(), Ok(connection));
        }
        assert_eq!(Connection::USUAL.to_string(), "1.6 Mbit/s · 150 ms");
        let slow: Connection = "400 / 400 / 30".parse().unwrap();
        assert_eq!(slow.to_string(), "0.4 Mbit/s · 400 ms · server 30 ms");
        assert_eq!(Connection::USUAL.time_of(Bytes(1_448_000)).to_string(), "7500 ms");
    }

    #[test]
    fn absurd_connections_are_refused() {
        for bad in
            ["", "1600", "0/10", "1e9/3", "10000001/3", "1600/10001", "1600/10/60001", "-1/4"]
        {
            assert!(bad.parse::<Connection>().is_err(), "{bad}");
        }
    }
}
