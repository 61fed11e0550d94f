//! The forwarder: carries packets between two TUN devices, with the delay and the rate of a connection.

use std::io;
use std::sync::mpsc::{Receiver, Sender, channel};
use std::sync::{Arc, Mutex};
use std::thread;
use std::time::{Duration, Instant};

use brisk_margin_core::load::Connection;
use tun_rs::{DeviceBuilder, SyncDevice};

/// Bytes that wait at the narrow end of the link at most; what comes beyond is dropped.
const QUEUE: f64 = 512_000.0;
/// The largest packet.
const MTU: u16 = 1_500;

/// Two devices and what lies between them, until the process ends.
pub struct Forwarder {
    shape: Arc<Mutex<Connection>>,
    /// The names of the devices: the browser's, and the host's.
    pub devices: [String; 2],
}

impl Forwarder {
    /// Makes two devices and carries packets between them, as over `connection`.
    ///
    /// # Errors
    /// Where this process may not make devices.
    pub fn start(connection: Connection) -> io::Result<Self> {
        let shape = Arc::new(Mutex::new(connection));
        let own = std::process::id() % 100_000;
        let devices = ["b", "h"].map(|end| format!("bm{end}{own}"));
        let device = |name: &str| DeviceBuilder::new().name(name).mtu(MTU).build_sync();
        let browser = Arc::new(device(&devices[0])?);
        let host = Arc::new(device(&devices[1])?);
        carry(Arc::clone(&host), Arc::clone(&browser), Arc::clone(&shape), true);
        carry(browser, host, Arc::clone(&shape), false);
        Ok(Self { shape, devices })
    }

    /// Is another connection from now on.
    pub fn become_like(&self, connection: Connection) {
        *self.shape.lock().expect("nobody panics") = connection;
    }
}

type Packet = (Instant, Vec<u8>);

fn carry(from: Arc<SyncDevice>, to: Arc<SyncDevice>, shape: Arc<Mutex<Connection>>, is_down: bool) {
    let (waiting, due) = channel();
    thread::spawn(move || queue(&from, &waiting, &shape, is_down));
    thread::spawn(move || deliver(&to, &due));
}

/// Takes packets as they come, and says when each is to be there.
fn queue(from: &SyncDevice, waiting: &Sender<Packet>, shape: &Mutex<Connection>, is_down: bool) {
    let mut free_at = Instant::now();
    let mut buffer = vec![0; usize::from(MTU) + 4];
    while let Ok(length) = from.recv(&mut buffer) {
        let (connection, now) = (*shape.lock().expect("nobody panics"), Instant::now());
        let begins = free_at.max(now);
        // Towards the host there is always room.
        if is_down {
            let queued = (begins - now).as_secs_f64() * connection.rate() * 1e3;
            if queued > QUEUE {
                continue;
            }
            let seconds = length as f64 / connection.rate() / 1e3;
            free_at = begins + Duration::from_secs_f64(seconds);
        } else {
            free_at = now;
        }
        let way = Duration::from_secs_f64(connection.rtt().get() / 2e3);
        if waiting.send((free_at + way, buffer[..length].to_vec())).is_err() {
            return;
        }
    }
}

fn deliver(to: &SyncDevice, due: &Receiver<Packet>) {
    for (at, packet) in due {
        thread::sleep(at.saturating_duration_since(Instant::now()));
        // One that the other end does not take is lost, as on any link.
        let _ = to.send(&packet);
    }
}
