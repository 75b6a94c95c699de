//! What a house has of its own in every report: what stands over it, and the units it shows.

use crate::{Error, Result};
use echo_formats::picture::address;
use echo_job::Refusal;
use echo_job::unit::{Unit, find};
use echo_report::{Letterhead, Logo};
use echo_store::Store;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// Largest logo, bytes: it goes into every report.
pub const LARGEST_LOGO: usize = 2 << 20;
/// Most lines, and characters of one.
const MOST_LINES: usize = 6;
const LONGEST_LINE: usize = 120;

/// What stands over the house's reports.
#[derive(Debug, Serialize, ToSchema)]
pub struct HouseBody {
    /// Name and address, line by line.
    pub lines: Vec<String>,
    /// The logo as an address of its own bytes; none where there is none.
    pub logo: Option<String>,
    /// Units that quantities are shown in, one of a quantity at most; others stay as they were measured.
    pub units: Vec<String>,
}

/// Its lines, and its units.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct HouseLines {
    /// Name and address, line by line.
    pub lines: Vec<String>,
    /// Units that quantities are shown in, one of a quantity at most; as they are where left out.
    #[serde(default)]
    pub units: Option<Vec<String>>,
}

/// What stands over the house's reports now.
///
/// # Errors
/// The database is away.
pub async fn read(store: &Store) -> Result<HouseBody> {
    let house = store.house().await?;
    Ok(HouseBody { lines: house.lines, logo: house.logo.map(|bytes| address(&bytes)), units: house.units })
}

/// Replaces the lines and, where they are told, the units.
///
/// # Errors
/// There are too many lines, or one is too long; a unit that is not known, or two of one quantity; the database is away.
pub async fn write(store: &Store, new: HouseLines, who: &str) -> Result<()> {
    let lines: Vec<String> = new.lines.iter().map(|l| l.trim().to_string()).filter(|l| !l.is_empty()).collect();
    if lines.len() > MOST_LINES {
        let says = format!("the letterhead has {} lines; allowed: up to {MOST_LINES}", lines.len());
        return Err(Refusal::new("lines", says).into());
    }
    if let Some(l) = lines.iter().find(|l| l.chars().count() > LONGEST_LINE || l.chars().any(char::is_control)) {
        let says = format!("a line of {} characters; allowed: up to {LONGEST_LINE}", l.chars().count());
        return Err(Refusal::new("lines", says).into());
    }
    if let Some(units) = new.units {
        let mut known: Vec<&'static Unit> = Vec::new();
        for symbol in &units {
            let unit = find(symbol)?;
            if let Some(other) = known.iter().find(|u| u.quantity == unit.quantity) {
                let (one, two) = (other.symbol, unit.symbol);
                let says = format!("{one} and {two} both are of {}; allowed: one of them", unit.quantity.name());
                return Err(Refusal::new("units", says).into());
            }
            known.push(unit);
        }
        let symbols: Vec<String> = known.iter().map(|u| u.symbol.to_string()).collect();
        store.save_house_units(&symbols, who).await?;
    }
    Ok(store.save_house_lines(&lines, who).await?)
}

/// Replaces the logo.
///
/// # Errors
/// It is none, or too large; the database is away.
pub async fn set_logo(store: &Store, bytes: Vec<u8>, who: &str) -> Result<()> {
    if bytes.len() > LARGEST_LOGO {
        let says = format!("the logo has {:.1} MB; allowed: up to {} MB", bytes.len() as f64 / 1e6, LARGEST_LOGO >> 20);
        return Err(Refusal::new("logo", says).into());
    }
    let logo = tokio::task::spawn_blocking(move || {
        let logo = Logo::read(bytes)?;
        // Set once as a page would set it: what the typesetter does not take would spoil every report.
        echo_report::set::tried(&logo).map(|()| logo)
    });
    let logo = logo.await?.map_err(|e| Error::from(Refusal::new("logo", e.to_string())))?;
    Ok(store.save_house_logo(Some(&logo.bytes), who).await?)
}

/// Takes the logo away.
///
/// # Errors
/// The database is away.
pub async fn drop_logo(store: &Store, who: &str) -> Result<()> {
    Ok(store.save_house_logo(None, who).await?)
}

/// What stands over a report, as it is set, nothing where nobody has said anything; and the units that it shows.
pub(super) async fn of_report(store: &Store) -> Result<(Option<Letterhead>, Vec<&'static Unit>)> {
    let house = store.house().await?;
    // A drawing is gone through to find its size: not on the threads that answer requests.
    let read = move || house.logo.and_then(|bytes| Logo::read(bytes).ok());
    let logo = tokio::task::spawn_blocking(read).await?;
    let letterhead = (logo.is_some() || !house.lines.is_empty()).then_some(Letterhead { lines: house.lines, logo });
    Ok((letterhead, house.units.iter().filter_map(|u| find(u).ok()).collect()))
}
