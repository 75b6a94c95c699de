//! Front ends that announce themselves by DNS-SD.

use mdns_sd::{IfKind, ServiceDaemon, ServiceEvent};
use serde::Serialize;
use std::collections::BTreeMap;
use std::sync::{Arc, Mutex, PoisonError};
use utoipa::ToSchema;

/// A front end that was found.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct FoundFrontEnd {
    /// Address to connect to, `host:port`.
    pub address: String,
    /// Model it announces.
    pub model: String,
    /// Serial it announces.
    pub serial: String,
}

/// Where to look.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Reach {
    /// This machine only.
    Loopback,
    /// Every network.
    All,
}

/// Looks for front ends as long as it lives.
#[derive(Clone)]
pub struct Discovery {
    found: Arc<Mutex<BTreeMap<String, FoundFrontEnd>>>,
    _daemon: Option<ServiceDaemon>,
}

impl Discovery {
    /// A discovery that finds nothing.
    pub fn off() -> Self {
        Discovery { found: Arc::default(), _daemon: None }
    }

    /// Starts looking.
    ///
    /// # Errors
    /// A sentence when the network does not let it listen.
    pub fn start(reach: Reach) -> Result<Self, String> {
        let say = |e: mdns_sd::Error| format!("front ends cannot be found by themselves: {e}; type an address");
        let daemon = ServiceDaemon::new().map_err(say)?;
        if reach == Reach::Loopback {
            daemon.disable_interface(IfKind::All).map_err(say)?;
            daemon.enable_interface(IfKind::LoopbackV4).map_err(say)?;
        }
        let events = daemon.browse(echo_link::SERVICE_TYPE).map_err(say)?;
        let found: Arc<Mutex<BTreeMap<String, FoundFrontEnd>>> = Arc::default();
        let to = found.clone();
        tokio::spawn(async move {
            while let Ok(event) = events.recv_async().await {
                let mut list = to.lock().unwrap_or_else(PoisonError::into_inner);
                match event {
                    ServiceEvent::ServiceResolved(info) => {
                        let Some(ip) = info.get_addresses_v4().into_iter().next() else { continue };
                        let property = |k: &str| info.get_property_val_str(k).unwrap_or("").to_string();
                        let entry = FoundFrontEnd {
                            address: format!("{ip}:{}", info.get_port()),
                            model: property("model"),
                            serial: property("serial"),
                        };
                        list.insert(info.get_fullname().to_string(), entry);
                    }
                    ServiceEvent::ServiceRemoved(_, name) => {
                        list.remove(&name);
                    }
                    _ => {}
                }
            }
        });
        Ok(Discovery { found, _daemon: Some(daemon) })
    }

    /// Front ends found so far.
    pub fn found(&self) -> Vec<FoundFrontEnd> {
        self.found.lock().unwrap_or_else(PoisonError::into_inner).values().cloned().collect()
    }
}
