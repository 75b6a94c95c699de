//! `lantern`: a stand-in front end as a process of its own.

use clap::{Parser, ValueEnum};
use echo_simulator::device::Lantern;
use echo_simulator::serve::{Pace, serve};
use mdns_sd::{IfKind, ServiceDaemon, ServiceInfo};

/// A simulated front end that plays the Merrow's port thruster gearbox.
#[derive(Parser)]
struct Options {
    /// Address to listen on; port 0 takes a free one.
    #[arg(long, default_value = "127.0.0.1:7460")]
    listen: String,
    /// Serial number it tells.
    #[arg(long, default_value = "LT-0417")]
    serial: String,
    /// Speed of the input shaft, rpm (300 to 3600).
    #[arg(long, default_value_t = 2690.0)]
    rpm: f64,
    /// Seconds simulated a second: a number, or “free” for as fast as they are taken.
    #[arg(long, default_value = "1")]
    pace: String,
    /// Where to announce itself by DNS-SD.
    #[arg(long, value_enum, default_value_t = Announce::Off)]
    announce: Announce,
    /// Print what is built into the machine as JSON and end.
    #[arg(long)]
    truth: bool,
}

#[derive(Clone, Copy, PartialEq, ValueEnum)]
enum Announce {
    /// Nowhere.
    Off,
    /// On this machine only.
    Loopback,
    /// On every network.
    All,
}

fn announce(where_to: Announce, serial: &str, address: std::net::SocketAddr) -> anyhow::Result<ServiceDaemon> {
    let daemon = ServiceDaemon::new()?;
    if where_to == Announce::Loopback {
        daemon.disable_interface(IfKind::All)?;
        daemon.enable_interface(IfKind::LoopbackV4)?;
    }
    let host = format!("{}.local.", serial.to_lowercase());
    let properties = [("model", "Lantern 24"), ("serial", serial)];
    let mut info = ServiceInfo::new(echo_link::SERVICE_TYPE, serial, &host, "", address.port(), &properties[..])?;
    if address.ip().is_unspecified() {
        info = info.enable_addr_auto();
    } else {
        info = ServiceInfo::new(echo_link::SERVICE_TYPE, serial, &host, address.ip(), address.port(), &properties[..])?;
    }
    daemon.register(info)?;
    Ok(daemon)
}

#[tokio::main]
async fn main() -> anyhow::Result<()> {
    tracing_subscriber::fmt().with_writer(std::io::stderr).init();
    let o = Options::parse();
    anyhow::ensure!((300.0..=3600.0).contains(&o.rpm), "--rpm is {}; allowed are 300 to 3600", o.rpm);
    let pace = if o.pace == "free" {
        Pace::Free
    } else {
        let times: f64 = o
            .pace
            .parse()
            .map_err(|_| anyhow::anyhow!("--pace is {}; allowed are “free” or a number above 0", o.pace))?;
        anyhow::ensure!(times > 0.0 && times.is_finite(), "--pace is {times}; allowed is above 0");
        Pace::Times(times)
    };
    let device = Lantern::new(&o.serial, o.rpm);
    if o.truth {
        println!("{}", serde_json::to_string_pretty(&device.truth())?);
        return Ok(());
    }
    let listener = tokio::net::TcpListener::bind(&o.listen).await?;
    let address = listener.local_addr()?;
    println!("{address}");
    let _announced = match o.announce {
        Announce::Off => None,
        to => match announce(to, &o.serial, address) {
            Ok(d) => Some(d),
            Err(e) => {
                tracing::warn!("not announced: {e}");
                None
            }
        },
    };
    serve(listener, device, pace).await?;
    Ok(())
}
