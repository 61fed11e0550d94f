//! The gate: a proxy on loopback that lets the browser reach only the hosts and ports that were
//! entered, and lists what it refused.
//!
//! It stands outside the page, so that nothing a page does (redirects, frames, scripts, pictures,
//! sockets) gets past it.

mod authority;
mod proxy;

use std::collections::{BTreeMap, BTreeSet};
use std::net::SocketAddr;
use std::sync::Arc;

use hyper::server::conn::http1;
use hyper::service::service_fn;
use hyper_util::rt::TokioIo;
use tokio::net::{TcpListener, TcpStream};
use tokio::task::JoinHandle;

pub use authority::Authority;
use proxy::Proxy;

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
    proxy: Arc<Proxy>,
    task: JoinHandle<()>,
}

impl Gate {
    /// Opens a gate on a free port of loopback.
    ///
    /// # Errors
    /// Where no port can be had.
    pub async fn open(rules: Rules) -> std::io::Result<Self> {
        let listener = TcpListener::bind(("127.0.0.1", 0)).await?;
        let address = listener.local_addr()?;
        let proxy = Arc::new(Proxy::new(rules));
        let task = tokio::spawn(accept(listener, Arc::clone(&proxy)));
        Ok(Self { address, proxy, task })
    }

    /// Where it listens.
    pub fn address(&self) -> SocketAddr {
        self.address
    }

    /// The hosts that were asked for and refused, each with one of the addresses.
    pub fn refused(&self) -> BTreeMap<Authority, String> {
        self.proxy.refused()
    }

    /// Whether nobody answered at an allowed host and port.
    pub fn is_unreachable(&self, authority: &Authority) -> bool {
        self.proxy.is_unreachable(authority)
    }
}

impl Drop for Gate {
    fn drop(&mut self) {
        self.task.abort();
    }
}

async fn accept(listener: TcpListener, proxy: Arc<Proxy>) {
    while let Ok((browser, _)) = listener.accept().await {
        tokio::spawn(serve(browser, Arc::clone(&proxy)));
    }
}

async fn serve(browser: TcpStream, proxy: Arc<Proxy>) {
    let pass = service_fn(|request| {
        let proxy = Arc::clone(&proxy);
        async move { Ok::<_, std::convert::Infallible>(proxy.pass(request).await) }
    });
    let connection = http1::Builder::new()
        .preserve_header_case(true)
        .serve_connection(TokioIo::new(browser), pass)
        .with_upgrades();
    // A connection that breaks is the browser's to notice.
    let _ = connection.await;
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::time::Duration;
    use tokio::io::{AsyncReadExt, AsyncWriteExt};

    /// Sends `request` through `gate` on a connection that ends with it.
    async fn ask(gate: &Gate, request: &str) -> String {
        let mut stream = TcpStream::connect(gate.address()).await.unwrap();
        stream.write_all(request.as_bytes()).await.unwrap();
        let mut answer = String::new();
        stream.read_to_string(&mut answer).await.unwrap();
        answer
    }

    /// Reads the head of a message; nothing where the other side is gone.
    async fn head(stream: &mut TcpStream) -> Option<String> {
        let mut head = Vec::new();
        while !head.ends_with(b"\r\n\r\n") {
            head.push(stream.read_u8().await.ok()?);
        }
        Some(String::from_utf8(head).unwrap())
    }

    /// A server that answers `answer` to whoever asks, and gives the first head it was sent.
    async fn server(answer: &'static str) -> (u16, JoinHandle<String>) {
        let listener = TcpListener::bind(("127.0.0.1", 0)).await.unwrap();
        let port = listener.local_addr().unwrap().port();
        let task = tokio::spawn(async move {
            let (mut stream, _) = listener.accept().await.unwrap();
            let asked = head(&mut stream).await.unwrap();
            stream.write_all(answer.as_bytes()).await.unwrap();
            asked
        });
        (port, task)
    }

    const NOTHING: &str = "HTTP/1.1 204 No Content\r\nX-Told: yes\r\n\r\n";

    fn allow(authorities: &[String]) -> Rules {
        let allowed = authorities.iter().map(|text| Authority::parse(text).unwrap()).collect();
        Rules { allowed, own_ports: BTreeSet::new() }
    }

    #[tokio::test]
    async fn an_entered_host_is_reached_and_asked_plainly() {
        let (port, asked) = server(NOTHING).await;
        let gate = Gate::open(allow(&[format!("127.0.0.1:{port}")])).await.unwrap();
        let request = format!(
            "GET http://127.0.0.1:{port}/a?b=1 HTTP/1.1\r\nHost: 127.0.0.1:{port}\r\n\
             Proxy-Connection: keep-alive\r\nProxy-Authorization: secret\r\n\
             Connection: close, X-Hop\r\nX-Hop: 1\r\nAccept: image/avif\r\n\r\n"
        );
        let answer = ask(&gate, &request).await;
        assert!(answer.starts_with("HTTP/1.1 204") && answer.contains("X-Told: yes"), "{answer}");
        let asked = asked.await.unwrap().to_ascii_lowercase();
        assert!(asked.starts_with("get /a?b=1 http/1.1\r\n"), "{asked}");
        assert!(asked.contains("accept: image/avif"), "{asked}");
        assert!(asked.contains(&format!("host: 127.0.0.1:{port}\r\n")), "{asked}");
        for hop in ["proxy-", "x-hop"] {
            assert!(!asked.contains(hop), "{hop} is between the browser and the gate: {asked}");
        }
    }

    #[tokio::test]
    async fn each_request_of_a_connection_is_looked_at() {
        let (port, _asked) = server(NOTHING).await;
        let gate = Gate::open(allow(&[format!("127.0.0.1:{port}")])).await.unwrap();
        let mut browser = TcpStream::connect(gate.address()).await.unwrap();
        let get = |port| format!("GET http://127.0.0.1:{port}/ HTTP/1.1\r\nHost: x\r\n\r\n");
        browser.write_all(get(port).as_bytes()).await.unwrap();
        assert!(head(&mut browser).await.unwrap().starts_with("HTTP/1.1 204"));
        browser.write_all(get(1).as_bytes()).await.unwrap();
        assert!(head(&mut browser).await.unwrap().starts_with("HTTP/1.1 403"));
    }

    #[tokio::test]
    async fn a_tunnel_carries_bytes_both_ways_until_it_ends() {
        let listener = TcpListener::bind(("127.0.0.1", 0)).await.unwrap();
        let port = listener.local_addr().unwrap().port();
        tokio::spawn(async move {
            let (mut stream, _) = listener.accept().await.unwrap();
            let mut four = [0; 4];
            stream.read_exact(&mut four).await.unwrap();
            four.reverse();
            stream.write_all(&four).await.unwrap();
        });
        let gate = Gate::open(allow(&[format!("127.0.0.1:{port}")])).await.unwrap();
        let mut browser = TcpStream::connect(gate.address()).await.unwrap();
        let connect = format!("CONNECT 127.0.0.1:{port} HTTP/1.1\r\n\r\n");
        browser.write_all(connect.as_bytes()).await.unwrap();
        assert!(head(&mut browser).await.unwrap().starts_with("HTTP/1.1 200"));
        browser.write_all(b"moon").await.unwrap();
        let mut back = String::new();
        let read = browser.read_to_string(&mut back);
        tokio::time::timeout(Duration::from_secs(10), read).await.expect("it ends").unwrap();
        assert_eq!(back, "noom");
    }

    #[tokio::test]
    async fn a_server_that_breaks_off_is_not_taken_for_a_whole_answer() {
        let (port, _asked) = server("HTTP/1.1 200 OK\r\nContent-Length: 900\r\n\r\nhalf").await;
        let gate = Gate::open(allow(&[format!("127.0.0.1:{port}")])).await.unwrap();
        let get = format!(
            "GET http://127.0.0.1:{port}/ HTTP/1.1\r\nHost: x\r\nConnection: close\r\n\r\n"
        );
        let answer = ask(&gate, &get).await;
        assert!(answer.to_ascii_lowercase().contains("content-length: 900"), "{answer}");
        assert!(answer.ends_with("half"), "{answer}");
    }

    #[tokio::test]
    async fn who_does_not_answer_is_remembered_as_such() {
        let unused = TcpListener::bind(("127.0.0.1", 0)).await.unwrap();
        let host = unused.local_addr().unwrap().to_string();
        drop(unused);
        let gate = Gate::open(allow(std::slice::from_ref(&host))).await.unwrap();
        let get =
            format!("GET http://{host}/ HTTP/1.1\r\nHost: {host}\r\nConnection: close\r\n\r\n");
        assert!(ask(&gate, &get).await.starts_with("HTTP/1.1 502"));
        assert!(gate.is_unreachable(&Authority::parse(&host).unwrap()));
        assert!(gate.refused().is_empty());
    }

    #[tokio::test]
    async fn another_port_of_the_same_host_is_refused_and_listed() {
        let (port, _asked) = server(NOTHING).await;
        let gate = Gate::open(allow(&["127.0.0.1:1".to_owned()])).await.unwrap();
        let target = format!("http://127.0.0.1:{port}/secret");
        let get = format!("GET {target} HTTP/1.1\r\nHost: x\r\nConnection: close\r\n\r\n");
        let plain = ask(&gate, &get).await;
        let connect = "CONNECT elsewhere.example:443 HTTP/1.1\r\nConnection: close\r\n\r\n";
        let tunnel = ask(&gate, connect).await;
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
        let (port, _asked) = server(NOTHING).await;
        let hosts =
            ["127.0.0.1", "localhost", "127.1", "0.0.0.0", "0", "[::ffff:127.0.0.1]", "[::]"];
        let mut rules = allow(&hosts.map(|host| format!("{host}:{port}")));
        rules.own_ports.insert(port);
        let gate = Gate::open(rules).await.unwrap();
        for host in hosts {
            let request = format!(
                "GET http://{host}:{port}/ HTTP/1.1\r\nHost: x\r\nConnection: close\r\n\r\n"
            );
            assert!(ask(&gate, &request).await.starts_with("HTTP/1.1 403"), "{host}");
        }
    }

    #[tokio::test]
    async fn what_is_no_request_to_a_proxy_is_refused() {
        let gate = Gate::open(Rules::default()).await.unwrap();
        let plain = "GET /secret HTTP/1.1\r\nHost: x\r\nConnection: close\r\n\r\n";
        assert!(ask(&gate, plain).await.starts_with("HTTP/1.1 400"));
        let other = "GET ftp://x/ HTTP/1.1\r\nHost: x\r\nConnection: close\r\n\r\n";
        assert!(ask(&gate, other).await.starts_with("HTTP/1.1 400"));
    }
}
