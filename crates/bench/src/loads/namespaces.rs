//! Two network namespaces, joined by nothing but a forwarder.

use std::process::Command;

use brisk_margin_cli::home::Failure;

/// The address of the host.
pub const HOST: &str = "10.77.0.2";
/// The address of the browser.
const BROWSER: &str = "10.77.0.1";
/// What most servers have, and what any namespace may have; windows begin and grow alike in both.
const CONTROLS: [&str; 2] = ["cubic", "reno"];

/// Two network namespaces; they go when the value does.
pub struct Namespaces {
    /// Where the browser is.
    pub browser: String,
    /// Where the host is.
    pub host: String,
    /// How the host's connections grow.
    pub control: &'static str,
}

impl Namespaces {
    /// Makes them, and moves the devices of that name into them: the browser's and the host's.
    ///
    /// # Errors
    /// Where this process may not, or `ip` is missing.
    pub fn joined_by([browser, host]: &[String; 2]) -> Result<Self, Failure> {
        let [browser_space, host_space] = [browser, host].map(|device| format!("{device}-ns"));
        let mut made = Self { browser: browser_space, host: host_space, control: "" };
        for (space, device, own, other) in
            [(&made.browser, browser, BROWSER, HOST), (&made.host, host, HOST, BROWSER)]
        {
            ip(&["netns", "add", space])?;
            ip(&["link", "set", device, "netns", space])?;
            ip(&["-n", space, "link", "set", "lo", "up"])?;
            ip(&["-n", space, "addr", "add", own, "peer", other, "dev", device])?;
            ip(&["-n", space, "link", "set", device, "up"])?;
        }
        let set = |control: &&str| {
            let setting = format!("net.ipv4.tcp_congestion_control={control}");
            ip(&["netns", "exec", &made.host, "sysctl", "-q", "-w", &setting]).is_ok()
        };
        made.control = CONTROLS.into_iter().find(set).ok_or("no congestion control can be set")?;
        Ok(made)
    }

    /// A command that runs in a namespace.
    pub fn within(space: &str, program: &std::path::Path) -> Command {
        let mut command = Command::new("ip");
        command.args(["netns", "exec", space]).arg(program);
        command
    }
}

impl Drop for Namespaces {
    fn drop(&mut self) {
        for space in [&self.browser, &self.host] {
            let _ = ip(&["netns", "del", space]);
        }
    }
}

fn ip(arguments: &[&str]) -> Result<(), Failure> {
    let told = Command::new("ip").args(arguments).output()?;
    if told.status.success() {
        return Ok(());
    }
    let why = String::from_utf8_lossy(&told.stderr).trim().to_owned();
    Err(format!("ip {}: {why}", arguments.join(" ")).into())
}
