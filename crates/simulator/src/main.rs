//! `lantern`: a stand-in front end as a process of its own.

use clap::{Parser, ValueEnum};
use echo_simulator::control;
use echo_simulator::device::{Lantern, Plays};
use echo_simulator::serve::{Pace, serve};
use mdns_sd::{IfKind, ServiceDaemon, ServiceInfo};

/// A simulated front end: a Lantern 24 on the Merrow's port thruster gearbox, on her radar mast bracket or on hull
/// frame 14 of the Skerry Lass, or Lantern 64s on her car deck.
#[derive(Parser)]
struct Options {
    /// What it plays.
    #[arg(long, value_enum, default_value_t = Part::Thruster)]
    plays: Part,
    /// How many front ends on the deck, 1 to 4; they sample together.
    #[arg(long, default_value_t = 1)]
    units: u16,
    /// Address to listen on; port 0 takes a free one. Further front ends take the ports after it.
    #[arg(long, default_value = "127.0.0.1:7460")]
    listen: String,
    /// Address of the control page for plugging, swapping and breaking sensors.
    #[arg(long)]
    control: Option<String>,
    /// Serial number it tells.
    #[arg(long, default_value = "LT-0417")]
    serial: String,
    /// Speed of the input shaft, rpm (300 to 3600).
    #[arg(long, default_value_t = 2690.0)]
    rpm: f64,
    /// Seconds simulated a second: a number, or “free” for as fast as they are taken.
    #[arg(long, default_value = "1")]
    pace: String,
    /// Megabytes of newest blocks it keeps itself, so that nothing is lost while the link is away.
    #[arg(long, default_value_t = 64)]
    stores: usize,
    /// Where to announce itself by DNS-SD.
    #[arg(long, value_enum, default_value_t = Announce::Off)]
    announce: Announce,
    /// Print what is built into the machine as JSON and end.
    #[arg(long)]
    truth: bool,
}

#[derive(Clone, Copy, PartialEq, ValueEnum)]
enum Part {
    /// The thruster gearbox.
    Thruster,
    /// The deck survey.
    Deck,
    /// Hull frame 14 while berthing.
    Berth,
    /// The radar mast bracket, with a hammer.
    Bracket,
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

fn announce(
    where_to: Announce,
    model: &str,
    serial: &str,
    address: std::net::SocketAddr,
) -> anyhow::Result<ServiceDaemon> {
    let daemon = ServiceDaemon::new()?;
    if where_to == Announce::Loopback {
        daemon.disable_interface(IfKind::All)?;
        daemon.enable_interface(IfKind::LoopbackV4)?;
    }
    let host = format!("{}.local.", serial.to_lowercase());
    let properties = [("model", model), ("serial", serial)];
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
    anyhow::ensure!((300.0..=3600.0).contains(&o.rpm), "--rpm must be 300 to 3600, not {}", o.rpm);
    let pace = if o.pace == "free" {
        Pace::Free
    } else {
        let times: f64 =
            o.pace.parse().map_err(|_| anyhow::anyhow!("--pace must be “free” or a number above 0, not {}", o.pace))?;
        anyhow::ensure!(times > 0.0 && times.is_finite(), "--pace must be above 0, not {times}");
        Pace::Times(times)
    };
    anyhow::ensure!((1..=4).contains(&o.units), "--units must be 1 to 4, not {}", o.units);
    let mut devices: Vec<Lantern> = match o.plays {
        Part::Thruster => vec![Lantern::new(&o.serial, o.rpm)],
        Part::Berth => vec![Lantern::playing("LT-0424", Plays::Berth)],
        Part::Bracket => vec![Lantern::playing("LT-0431", Plays::Bracket)],
        Part::Deck => (0..o.units)
            .map(|u| Lantern::playing(&format!("LT-064{}", u + 1), Plays::Deck(64 * usize::from(u))))
            .collect(),
    };
    for d in &mut devices {
        d.keeps_bytes = o.stores.min(4096) << 20;
    }
    if o.truth {
        println!("{}", serde_json::to_string_pretty(&devices[0].truth())?);
        return Ok(());
    }
    let (host, port) =
        o.listen.rsplit_once(':').ok_or_else(|| anyhow::anyhow!("--listen must be host:port, not {}", o.listen))?;
    let port: u16 = port.parse()?;
    let mut addresses = Vec::new();
    let mut shared = Vec::new();
    let mut announced = Vec::new();
    let mut serving = tokio::task::JoinSet::new();
    for (u, device) in devices.into_iter().enumerate() {
        let port = if port == 0 { 0 } else { port + u as u16 };
        let listener = tokio::net::TcpListener::bind((host, port)).await?;
        let address = listener.local_addr()?;
        addresses.push(address.to_string());
        let (model, serial) = (device.model(), device.identity().serial);
        match o.announce {
            Announce::Off => {}
            to => match announce(to, model, &serial, address) {
                Ok(d) => announced.push(d),
                Err(e) => tracing::warn!("not announced: {e}"),
            },
        }
        let device = std::sync::Arc::new(std::sync::Mutex::new(device));
        shared.push(device.clone());
        serving.spawn(serve(listener, device, pace));
    }
    let control = match &o.control {
        Some(at) => {
            let listener = tokio::net::TcpListener::bind(at).await?;
            let address = listener.local_addr()?;
            serving.spawn(control::serve(listener, shared));
            format!(" control http://{address}")
        }
        None => String::new(),
    };
    println!("{}{control}", addresses.join(","));
    while let Some(ended) = serving.join_next().await {
        ended??;
    }
    Ok(())
}
