//! The gate: a proxy on loopback that lets the browser reach only the hosts and ports that were
//! entered, and lists what it refused.
//!
//! It stands outside the page, so that nothing a page does (redirects, frames, scripts, pictures,
//! sockets) gets past it.

use std::collections::{BTreeMap, BTreeSet};
use std::net::{IpAddr, SocketAddr};
use std::sync::{Arc, Mutex};
use std::time::Duration;

use tokio::io::{AsyncReadExt, AsyncWriteExt, copy_bidirectional};
use tokio::net::{TcpListener, TcpStream, lookup_host};
use tokio::task::JoinHandle;
use url::Url;

/// The longest request head that is read.
const MAX_HEAD: usize = 64 << 10;
/// Most hosts that are remembered as refused.
const MAX_REFUSED: usize = 200;

/// A host and a port: `example.org:443`, in lower case.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Authority {
    host: String,
    port: u16,
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

    fn parse(text: &str) -> Option<Self> {
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
    fn is_literal(&self) -> bool {
        self.host == "localhost" || self.host.trim_matches(['[', ']']).parse::<IpAddr>().is_ok()
    }
}

impl std::fmt::Display for Authority {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{}:{}", self.host, self.port)
    }
}

/// Who may be reached.
#[derive(Debug, Clone, Default)]
pub struct Rules {
    /// The hosts and ports that were entered.
    pub allowed: BTreeSet<Authority>,
    /// Ports of this machine that are never reached, entered or not: the application's own and
    /// its database's.
    pub own_ports: BTreeSet<u16>,
}

/// The running gate; it closes when dropped.
pub struct Gate {
    address: SocketAddr,
    refused: Arc<Mutex<BTreeMap<Authority, String>>>,
    unreachable: Arc<Mutex<BTreeSet<Authority>>>,
    task: JoinHandle<()>,
}

impl Gate {
    /// Opens a gate on a free port of loopback.
    pub async fn open(rules: Rules) -> std::io::Result<Self> {
        let listener = TcpListener::bind(("127.0.0.1", 0)).await?;
        let address = listener.local_addr()?;
        let refused = Arc::new(Mutex::new(BTreeMap::new()));
        let unreachable = Arc::new(Mutex::new(BTreeSet::new()));
        let guard =
            Guard { rules, refused: Arc::clone(&refused), unreachable: Arc::clone(&unreachable) };
        let guard = Arc::new(guard);
        let task = tokio::spawn(async move {
            while let Ok((stream, _)) = listener.accept().await {
                let guard = Arc::clone(&guard);
                // A connection that breaks is the browser's to notice.
                tokio::spawn(async move { guard.pass(stream).await.ok() });
            }
        });
        Ok(Self { address, refused, unreachable, task })
    }

    /// Where it listens.
    pub fn address(&self) -> SocketAddr {
        self.address
    }

    /// The hosts that were asked for and refused, each with one of the addresses.
    pub fn refused(&self) -> BTreeMap<Authority, String> {
        self.refused.lock().expect("no panic holds the lock").clone()
    }
}

impl Gate {
    /// Whether nobody answered at an allowed host and port.
    pub fn is_unreachable(&self, authority: &Authority) -> bool {
        self.unreachable.lock().expect("no panic holds the lock").contains(authority)
    }
}

impl Drop for Gate {
    fn drop(&mut self) {
        self.task.abort();
    }
}

struct Guard {
    rules: Rules,
    refused: Arc<Mutex<BTreeMap<Authority, String>>>,
    unreachable: Arc<Mutex<BTreeSet<Authority>>>,
}

/// Why a connection was not made.
enum Closed {
    /// The rules forbid it.
    Refused,
    /// Nobody answers there.
    Unreachable,
}

impl Guard {
    async fn pass(&self, mut browser: TcpStream) -> std::io::Result<()> {
        let Some((head, rest)) = read_head(&mut browser).await? else {
            return Ok(());
        };
        let Some(request) = Request::parse(&head) else {
            return answer(&mut browser, "400 Bad Request").await;
        };
        let mut server = match self.connect(&request.authority).await {
            Ok(server) => server,
            Err(Closed::Refused) => {
                self.note(&request);
                return answer(&mut browser, "403 Forbidden").await;
            }
            Err(Closed::Unreachable) => {
                let unreachable = self.unreachable.lock();
                unreachable.expect("no panic holds the lock").insert(request.authority);
                return answer(&mut browser, "502 Bad Gateway").await;
            }
        };
        match &request.forward {
            Some(head) => server.write_all(head.as_bytes()).await?,
            None => browser.write_all(b"HTTP/1.1 200 Connected\r\n\r\n").await?,
        }
        server.write_all(&rest).await?;
        copy_bidirectional(&mut browser, &mut server).await?;
        Ok(())
    }

    async fn connect(&self, authority: &Authority) -> Result<TcpStream, Closed> {
        if !self.rules.allowed.contains(authority) {
            return Err(Closed::Refused);
        }
        let host = authority.host.trim_matches(['[', ']']);
        let found = lookup_host((host, authority.port)).await.map_err(|_| Closed::Unreachable)?;
        let reachable = found.into_iter().find(|address| {
            let own = address.ip().is_loopback() && self.rules.own_ports.contains(&address.port());
            // A public name that leads to a private address is a trick.
            !own && (authority.is_literal() || !is_private(address.ip()))
        });
        let connect = TcpStream::connect(reachable.ok_or(Closed::Refused)?);
        match tokio::time::timeout(Duration::from_secs(10), connect).await {
            Ok(Ok(stream)) => Ok(stream),
            _ => Err(Closed::Unreachable),
        }
    }

    fn note(&self, request: &Request) {
        let mut refused = self.refused.lock().expect("no panic holds the lock");
        if refused.len() < MAX_REFUSED {
            refused.entry(request.authority.clone()).or_insert_with(|| request.target.clone());
        }
    }
}

fn is_private(ip: IpAddr) -> bool {
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

async fn answer(browser: &mut TcpStream, status: &str) -> std::io::Result<()> {
    let text = format!("HTTP/1.1 {status}\r\nContent-Length: 0\r\nConnection: close\r\n\r\n");
    browser.write_all(text.as_bytes()).await
}

/// The head of a request and what came after it; `None` where none came.
async fn read_head(stream: &mut TcpStream) -> std::io::Result<Option<(String, Vec<u8>)>> {
    let mut data = Vec::new();
    loop {
        if stream.read_buf(&mut data).await? == 0 || data.len() > MAX_HEAD {
            return Ok(None);
        }
        if let Some(end) = data.windows(4).position(|window| window == b"\r\n\r\n") {
            let rest = data.split_off(end + 4);
            return Ok(Some((String::from_utf8_lossy(&data).into_owned(), rest)));
        }
    }
}

/// What the browser asks of a proxy.
struct Request {
    authority: Authority,
    target: String,
    /// The head as it goes on to the server; nothing for a tunnel.
    forward: Option<String>,
}

impl Request {
    fn parse(head: &str) -> Option<Self> {
        let (line, headers) = head.split_once("\r\n")?;
        let mut words = line.split(' ');
        let (method, target) = (words.next()?, words.next()?);
        if method == "CONNECT" {
            let authority = Authority::parse(target)?;
            return Some(Self { authority, target: target.to_owned(), forward: None });
        }
        let address = Url::parse(target).ok()?;
        let path = match address.query() {
            Some(query) => format!("{}?{query}", address.path()),
            None => address.path().to_owned(),
        };
        // One request a connection, so that each one is looked at.
        let kept = headers.split("\r\n").filter(|line| {
            let name = line.split(':').next().unwrap_or_default().to_ascii_lowercase();
            !line.is_empty() && !matches!(name.as_str(), "connection" | "proxy-connection")
        });
        let mut forward = format!("{method} {path} HTTP/1.1\r\n");
        for line in kept {
            forward.push_str(line);
            forward.push_str("\r\n");
        }
        forward.push_str("Connection: close\r\n\r\n");
        Some(Self {
            authority: Authority::of(&address)?,
            target: target.to_owned(),
            forward: Some(forward),
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    async fn ask(gate: &Gate, request: &str) -> String {
        let mut stream = TcpStream::connect(gate.address()).await.unwrap();
        stream.write_all(request.as_bytes()).await.unwrap();
        let mut answer = String::new();
        stream.read_to_string(&mut answer).await.unwrap();
        answer
    }

    async fn server() -> (u16, JoinHandle<String>) {
        let listener = TcpListener::bind(("127.0.0.1", 0)).await.unwrap();
        let port = listener.local_addr().unwrap().port();
        let task = tokio::spawn(async move {
            let (mut stream, _) = listener.accept().await.unwrap();
            let (head, _) = read_head(&mut stream).await.unwrap().unwrap();
            answer(&mut stream, "204 No Content").await.unwrap();
            head
        });
        (port, task)
    }

    fn allow(authorities: &[String]) -> Rules {
        let allowed = authorities.iter().map(|text| Authority::parse(text).unwrap()).collect();
        Rules { allowed, own_ports: BTreeSet::new() }
    }

    #[tokio::test]
    async fn an_entered_host_is_reached_and_asked_plainly() {
        let (port, head) = server().await;
        let gate = Gate::open(allow(&[format!("127.0.0.1:{port}")])).await.unwrap();
        let request = format!(
            "GET http://127.0.0.1:{port}/a?b=1 HTTP/1.1\r\nHost: 127.0.0.1:{port}\r\n\
             Proxy-Connection: keep-alive\r\n\r\n"
        );
        assert!(ask(&gate, &request).await.starts_with("HTTP/1.1 204"));
        let head = head.await.unwrap();
        assert!(head.starts_with("GET /a?b=1 HTTP/1.1\r\n"), "{head}");
        assert!(!head.contains("Proxy-Connection") && head.contains("Connection: close"));
    }

    #[tokio::test]
    async fn another_port_of_the_same_host_is_refused_and_listed() {
        let (port, _head) = server().await;
        let gate = Gate::open(allow(&["127.0.0.1:1".to_owned()])).await.unwrap();
        let target = format!("http://127.0.0.1:{port}/secret");
        let plain = ask(&gate, &format!("GET {target} HTTP/1.1\r\n\r\n")).await;
        let tunnel = ask(&gate, "CONNECT elsewhere.example:443 HTTP/1.1\r\n\r\n").await;
        assert!(plain.starts_with("HTTP/1.1 403") && tunnel.starts_with("HTTP/1.1 403"));
        let refused: Vec<_> = gate.refused().into_iter().map(|(a, b)| (a.to_string(), b)).collect();
        assert_eq!(
            refused,
            [
                (format!("127.0.0.1:{port}"), target),
                ("elsewhere.example:443".to_owned(), "elsewhere.example:443".to_owned()),
            ]
        );
    }

    #[tokio::test]
    async fn our_own_ports_stay_closed_even_when_entered() {
        let (port, _head) = server().await;
        let mut rules = allow(&[format!("127.0.0.1:{port}"), format!("localhost:{port}")]);
        rules.own_ports.insert(port);
        let gate = Gate::open(rules).await.unwrap();
        for host in ["127.0.0.1", "localhost"] {
            let request = format!("GET http://{host}:{port}/ HTTP/1.1\r\n\r\n");
            assert!(ask(&gate, &request).await.starts_with("HTTP/1.1 403"), "{host}");
        }
    }

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
