//! What the gate does with each request: looks at it, and passes it on or refuses it.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::Duration;

use bytes::Bytes;
use http_body_util::combinators::BoxBody;
use http_body_util::{BodyExt, Empty};
use hyper::body::Incoming;
use hyper::client::conn::http1;
use hyper::header::{CONNECTION, HOST, HeaderMap, HeaderName, HeaderValue};
use hyper::upgrade::Upgraded;
use hyper::{Method, Request, Response, StatusCode, Uri};
use hyper_util::rt::TokioIo;
use tokio::io::copy_bidirectional;
use tokio::net::{TcpStream, lookup_host};
use url::Url;

use super::Rules;
use super::authority::{Authority, is_private, is_this_machine};

/// Most hosts that are remembered as refused.
const MAX_REFUSED: usize = 200;
/// How long a server has to take a connection.
const CONNECT_WITHIN: Duration = Duration::from_secs(10);
/// What concerns only two neighbours on the way (RFC 9110, 7.6.1), besides what `Connection`
/// names.
const HOP_BY_HOP: [&str; 6] =
    ["connection", "keep-alive", "proxy-authorization", "proxy-connection", "te", "upgrade"];

type Answer = Response<BoxBody<Bytes, hyper::Error>>;

/// Passes requests on as its rules say, and remembers what it could not.
pub(super) struct Proxy {
    rules: Rules,
    refused: Mutex<BTreeMap<Authority, String>>,
    unreachable: Mutex<BTreeSet<Authority>>,
}

/// Why a request was not passed on.
enum NotPassed {
    /// It is none that a proxy is sent.
    Invalid,
    /// The rules forbid its host.
    Refused,
    /// Nobody answers there.
    Unreachable,
}

impl Proxy {
    pub(super) fn new(rules: Rules) -> Self {
        Self { rules, refused: Mutex::default(), unreachable: Mutex::default() }
    }

    pub(super) fn refused(&self) -> BTreeMap<Authority, String> {
        held(&self.refused).clone()
    }

    pub(super) fn is_unreachable(&self, authority: &Authority) -> bool {
        held(&self.unreachable).contains(authority)
    }

    pub(super) async fn pass(&self, request: Request<Incoming>) -> Answer {
        let target = request.uri().to_string();
        let is_tunnel = request.method() == Method::CONNECT;
        let authority = if is_tunnel {
            Authority::parse(&target)
        } else {
            Url::parse(&target).ok().and_then(|address| Authority::of(&address))
        };
        let Some(authority) = authority else { return empty(NotPassed::Invalid.status()) };
        let passed = match self.connect(&authority).await {
            Ok(server) if is_tunnel => Ok(tunnel(request, server)),
            Ok(server) => forward(request, server).await,
            Err(why) => Err(why),
        };
        passed.unwrap_or_else(|why| {
            match why {
                NotPassed::Invalid => {}
                NotPassed::Refused => self.note_refused(authority, target),
                NotPassed::Unreachable => {
                    held(&self.unreachable).insert(authority);
                }
            }
            empty(why.status())
        })
    }

    async fn connect(&self, authority: &Authority) -> Result<TcpStream, NotPassed> {
        if !self.rules.allowed.contains(authority) {
            return Err(NotPassed::Refused);
        }
        let host = authority.host.trim_matches(['[', ']']);
        let found = lookup_host((host, authority.port)).await;
        let reachable = found.map_err(|_| NotPassed::Unreachable)?.find(|address| {
            let own =
                self.rules.own_ports.contains(&address.port()) && is_this_machine(address.ip());
            // A public name that leads to a private address is a trick.
            !own && (authority.is_literal() || !is_private(address.ip()))
        });
        let connect = TcpStream::connect(reachable.ok_or(NotPassed::Refused)?);
        match tokio::time::timeout(CONNECT_WITHIN, connect).await {
            Ok(Ok(stream)) => Ok(stream),
            _ => Err(NotPassed::Unreachable),
        }
    }

    fn note_refused(&self, authority: Authority, target: String) {
        let mut refused = held(&self.refused);
        if refused.len() < MAX_REFUSED {
            refused.entry(authority).or_insert(target);
        }
    }
}

impl NotPassed {
    const fn status(&self) -> StatusCode {
        match self {
            Self::Invalid => StatusCode::BAD_REQUEST,
            Self::Refused => StatusCode::FORBIDDEN,
            Self::Unreachable => StatusCode::BAD_GATEWAY,
        }
    }
}

/// What is noted stays usable after a panic elsewhere.
fn held<T>(noted: &Mutex<T>) -> MutexGuard<'_, T> {
    noted.lock().unwrap_or_else(PoisonError::into_inner)
}

fn empty(status: StatusCode) -> Answer {
    let mut answer = Response::new(Empty::new().map_err(|never| match never {}).boxed());
    *answer.status_mut() = status;
    answer
}

/// Joins the browser to `server` once the answer is sent.
fn tunnel(request: Request<Incoming>, mut server: TcpStream) -> Answer {
    tokio::spawn(async move {
        if let Ok(browser) = hyper::upgrade::on(request).await {
            let mut browser: TokioIo<Upgraded> = TokioIo::new(browser);
            // Whichever side breaks off is the other's to notice.
            let _ = copy_bidirectional(&mut browser, &mut server).await;
        }
    });
    empty(StatusCode::OK)
}

/// Sends `request` to `server` as if the browser had asked it itself.
async fn forward(request: Request<Incoming>, server: TcpStream) -> Result<Answer, NotPassed> {
    let handshake =
        http1::Builder::new().preserve_header_case(true).handshake(TokioIo::new(server));
    let (mut sender, connection) = handshake.await.map_err(|_| NotPassed::Unreachable)?;
    tokio::spawn(connection);
    let request = as_asked_directly(request).ok_or(NotPassed::Invalid)?;
    let answer = sender.send_request(request).await.map_err(|_| NotPassed::Unreachable)?;
    let (mut head, body) = answer.into_parts();
    drop_hop_by_hop(&mut head.headers);
    Ok(Response::from_parts(head, body.boxed()))
}

/// `request` with a path instead of a whole address, and without what was meant for a proxy.
fn as_asked_directly(mut request: Request<Incoming>) -> Option<Request<Incoming>> {
    let asked = request.uri().clone();
    let path = asked.path_and_query().map_or("/", |path| path.as_str());
    *request.uri_mut() = path.parse::<Uri>().ok()?;
    drop_hop_by_hop(request.headers_mut());
    // One request a connection: there is one server behind each.
    request.headers_mut().insert(CONNECTION, HeaderValue::from_static("close"));
    // The address counts, whatever a page made the browser say (RFC 9112, 3.2.2).
    let host = HeaderValue::from_str(asked.authority()?.as_str()).ok()?;
    request.headers_mut().insert(HOST, host);
    Some(request)
}

fn drop_hop_by_hop(headers: &mut HeaderMap) {
    let named = headers.get_all(CONNECTION).iter().filter_map(|value| value.to_str().ok());
    let named: Vec<HeaderName> = named
        .flat_map(|names| names.split(','))
        .filter_map(|name| name.trim().parse().ok())
        .collect();
    for name in named {
        headers.remove(name);
    }
    for name in HOP_BY_HOP {
        headers.remove(name);
    }
}
