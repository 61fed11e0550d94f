//! TLS for the host, with a certificate that it makes for itself.

use std::io;
use std::net::{IpAddr, SocketAddr};
use std::sync::Arc;

use brisk_margin_cli::home::Failure;
use rcgen::{CertificateParams, KeyPair, SanType};
use rustls::ServerConfig;
use rustls::crypto::ring;
use rustls::pki_types::{CertificateDer, PrivatePkcs8KeyDer};
use rustls::version::TLS13;
use tokio::net::{TcpListener, TcpStream};
use tokio::sync::mpsc;
use tokio_rustls::TlsAcceptor;
use tokio_rustls::server::TlsStream;

type Came = (TlsStream<TcpStream>, SocketAddr);

/// Connections whose hand-shakes are over, which go side by side.
pub struct TlsListener {
    came: mpsc::Receiver<Came>,
    address: SocketAddr,
}

impl TlsListener {
    /// Takes connections from `listener` by TLS 1.3, and speaks `protocol` in them, as ALPN names it.
    pub fn new(listener: TcpListener, protocol: &str) -> Result<Self, Failure> {
        let address = listener.local_addr()?;
        let acceptor = TlsAcceptor::from(Arc::new(config(address.ip(), protocol)?));
        let (done, came) = mpsc::channel(64);
        tokio::spawn(async move {
            while let Ok((stream, from)) = listener.accept().await {
                let (acceptor, done) = (acceptor.clone(), done.clone());
                tokio::spawn(async move {
                    let _ = stream.set_nodelay(true);
                    // Browsers try connections that they give up.
                    if let Ok(stream) = acceptor.accept(stream).await {
                        let _ = done.send((stream, from)).await;
                    }
                });
            }
        });
        Ok(Self { came, address })
    }
}

impl axum::serve::Listener for TlsListener {
    type Io = TlsStream<TcpStream>;
    type Addr = SocketAddr;

    async fn accept(&mut self) -> Came {
        match self.came.recv().await {
            Some(came) => came,
            None => std::future::pending().await,
        }
    }

    fn local_addr(&self) -> io::Result<SocketAddr> {
        Ok(self.address)
    }
}

fn config(host: IpAddr, protocol: &str) -> Result<ServerConfig, Failure> {
    let key = KeyPair::generate()?;
    let mut of_host = CertificateParams::default();
    of_host.subject_alt_names = vec![SanType::IpAddress(host)];
    let certificate = CertificateDer::from(of_host.self_signed(&key)?);
    let key = PrivatePkcs8KeyDer::from(key.serialize_der());
    let mut config = ServerConfig::builder_with_provider(Arc::new(ring::default_provider()))
        .with_protocol_versions(&[&TLS13])?
        .with_no_client_auth()
        .with_single_cert(vec![certificate], key.into())?;
    config.alpn_protocols = vec![protocol.as_bytes().to_vec()];
    Ok(config)
}
