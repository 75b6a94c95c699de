//! Elements of the machine that leave lines in a spectrum, and where those lines stand.
//!
//! All frequencies are told as orders: multiples of the reference shaft's speed. Source: Harris &
//! Kotzalas, "Rolling Bearing Analysis", for the rolling element bearing with its outer ring at rest.

use crate::Refusal;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// What an element is.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum Kind {
    /// A shaft by itself.
    Shaft,
    /// Blades or vanes.
    Blades {
        /// How many.
        count: u32,
    },
    /// A gear that meshes.
    Gear {
        /// Its teeth.
        teeth: u32,
    },
    /// A rolling element bearing, outer ring at rest.
    Bearing {
        /// Rolling elements.
        rollers: u32,
        /// Diameter of one, mm.
        roller_mm: f64,
        /// Diameter of the circle their centres run on, mm.
        pitch_mm: f64,
        /// Contact angle, degrees.
        #[serde(default)]
        contact_deg: f64,
    },
}

/// An element on a shaft.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Element {
    /// Its name.
    pub name: String,
    /// Turns of its shaft for a turn of the reference shaft, which carries the tachometer.
    pub ratio: f64,
    /// What it is.
    #[serde(flatten)]
    pub kind: Kind,
}

/// The elements of a specimen.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Machine {
    /// In the order they were entered.
    #[serde(default)]
    pub elements: Vec<Element>,
}

/// A line to look for.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Marker {
    /// The element.
    pub element: String,
    /// What it is, such as “outer race”.
    pub says: String,
    /// Multiple of the reference shaft's speed.
    pub order: f64,
    /// Distance of the sidebands it has where something is wrong, as a multiple of that speed too.
    pub sideband_order: Option<f64>,
    /// Share by which it may stand off its place beside what the speed leaves open: rolling elements
    /// slip, and their contact angle moves with the load.
    pub within: f64,
}

/// A line of an element at a speed.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct LineAt {
    /// The line, as an order.
    #[serde(flatten)]
    pub marker: Marker,
    /// Where it stands, Hz.
    pub hz: f64,
    /// Distance of its sidebands, Hz.
    pub sideband_hz: Option<f64>,
}

/// See [`Marker::within`].
const SLIP: f64 = 0.01;

/// Most elements of a machine.
const MOST: usize = 100;

impl Element {
    fn check(&self) -> Result<(), Refusal> {
        let wrong = |says: String| Err(Refusal::new("elements", format!("“{}”: {says}", self.name)));
        if !(self.ratio.is_finite() && self.ratio > 0.0 && self.ratio <= 1000.0) {
            return wrong(format!("the ratio must be above 0 and up to 1000, not {}", self.ratio));
        }
        let counted = |what: &str, n: u32| match n {
            1..=1000 => Ok(()),
            _ => wrong(format!("{what} must be 1 to 1000, not {n}")),
        };
        match self.kind {
            Kind::Shaft => Ok(()),
            Kind::Blades { count } => counted("blades", count),
            Kind::Gear { teeth } => counted("teeth", teeth),
            Kind::Bearing { rollers, roller_mm, pitch_mm, contact_deg } => {
                counted("rolling elements", rollers)?;
                if !(roller_mm > 0.0 && pitch_mm.is_finite() && roller_mm < pitch_mm) {
                    let says = "the rolling elements must be smaller than their pitch circle";
                    return wrong(format!("{roller_mm} mm on {pitch_mm} mm; {says}"));
                }
                if !(0.0..90.0).contains(&contact_deg) {
                    return wrong(format!("the contact angle must be 0 to below 90°, not {contact_deg}°"));
                }
                Ok(())
            }
        }
    }

    /// The lines it makes.
    pub fn markers(&self) -> Vec<Marker> {
        let shaft = self.ratio;
        let marker = |says: &str, times: f64, sideband: Option<f64>| Marker {
            element: self.name.clone(),
            says: says.into(),
            order: shaft * times,
            sideband_order: sideband.map(|s| s * shaft),
            within: if matches!(self.kind, Kind::Bearing { .. }) { SLIP } else { 0.0 },
        };
        match self.kind {
            Kind::Shaft => vec![marker("1×", 1.0, None)],
            Kind::Blades { count } => vec![marker("blade", f64::from(count), Some(1.0))],
            Kind::Gear { teeth } => vec![marker("mesh", f64::from(teeth), Some(1.0))],
            Kind::Bearing { rollers, roller_mm, pitch_mm, contact_deg } => {
                let n = f64::from(rollers);
                let share = roller_mm / pitch_mm * contact_deg.to_radians().cos();
                let cage = 0.5 * (1.0 - share);
                vec![
                    marker("outer race", n * cage, None),
                    marker("inner race", n * (1.0 - cage), Some(1.0)),
                    marker("rolling element", 0.5 * pitch_mm / roller_mm * (1.0 - share * share), Some(cage)),
                    marker("cage", cage, None),
                ]
            }
        }
    }
}

impl Machine {
    /// Checks every element.
    ///
    /// # Errors
    /// The first that is not allowed, with what is.
    pub fn check(&self) -> Result<(), Refusal> {
        if self.elements.len() > MOST {
            let says = format!("there are {} elements; allowed: up to {MOST}", self.elements.len());
            return Err(Refusal::new("elements", says));
        }
        for (i, e) in self.elements.iter().enumerate() {
            if e.name.trim().is_empty() || e.name.chars().count() > 60 {
                return Err(Refusal::new("elements", "an element has no name; allowed: 1 to 60 characters"));
            }
            if self.elements[..i].iter().any(|o| o.name == e.name) {
                return Err(Refusal::new("elements", format!("“{}” is there twice; names must differ", e.name)));
            }
            e.check()?;
        }
        Ok(())
    }

    /// All lines at a speed of the reference shaft.
    ///
    /// # Errors
    /// A speed that is none.
    pub fn lines_at(&self, rpm: f64) -> Result<Vec<LineAt>, Refusal> {
        if !(rpm.is_finite() && rpm > 0.0 && rpm <= 1e6) {
            return Err(Refusal::new("rpm", format!("the speed must be above 0 and up to 1 000 000 rpm, not {rpm}")));
        }
        let turns_hz = rpm / 60.0;
        let at = |m: Marker| LineAt {
            hz: m.order * turns_hz,
            sideband_hz: m.sideband_order.map(|s| s * turns_hz),
            marker: m,
        };
        Ok(self.markers().into_iter().map(at).collect())
    }

    /// All lines, element by element.
    pub fn markers(&self) -> Vec<Marker> {
        self.elements.iter().flat_map(Element::markers).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lines_stand_at_orders_of_the_speed() {
        let gear = Element { name: "pinion".into(), ratio: 0.5, kind: Kind::Gear { teeth: 26 } };
        let machine = Machine { elements: vec![gear] };
        let lines = machine.lines_at(3000.0).unwrap();
        assert_eq!((lines[0].hz, lines[0].sideband_hz), (650.0, Some(25.0)));
        for none in [0.0, -1.0, f64::NAN, f64::INFINITY, 2e6] {
            assert!(machine.lines_at(none).is_err(), "{none}");
        }
    }

    fn element(name: &str, ratio: f64, kind: Kind) -> Element {
        Element { name: name.into(), ratio, kind }
    }

    fn orders(kind: Kind, ratio: f64) -> Vec<f64> {
        element("e", ratio, kind).markers().iter().map(|m| m.order).collect()
    }

    fn bearing(rollers: u32, roller_mm: f64, pitch_mm: f64, contact_deg: f64) -> Kind {
        Kind::Bearing { rollers, roller_mm, pitch_mm, contact_deg }
    }

    #[test]
    fn lines_stand_where_the_geometry_puts_them() {
        assert_eq!(orders(Kind::Gear { teeth: 13 }, 1.0), [13.0]);
        assert!((orders(Kind::Blades { count: 4 }, 1.0 / 3.08)[0] - 1.298_701).abs() < 1e-6);
        // Nine balls of 7.94 mm on 38.5 mm: worked by hand from the four formulas.
        let found = orders(bearing(9, 7.94, 38.5, 0.0), 1.0);
        for (f, wanted) in found.iter().zip([3.571_948, 5.428_052, 2.321_314, 0.396_883]) {
            assert!((f - wanted).abs() < 1e-5, "{found:?}");
        }
    }

    #[test]
    fn races_share_the_rolling_elements() {
        for (n, d, p, a) in [(9, 7.94, 38.5, 0.0), (16, 10.0, 70.0, 15.0), (12, 20.0, 90.0, 40.0)] {
            let all = orders(bearing(n, d, p, a), 2.5);
            assert!((all[0] + all[1] - 2.5 * f64::from(n)).abs() < 1e-9, "outer and inner add up");
            assert!((all[0] / all[3] - f64::from(n)).abs() < 1e-9, "the cage carries them past the outer race");
        }
    }

    #[test]
    fn what_cannot_be_is_told() {
        for (kind, word) in [
            (bearing(9, 40.0, 38.5, 0.0), "smaller"),
            (bearing(0, 8.0, 38.5, 0.0), "1 to 1000"),
            (bearing(9, 8.0, 38.5, 90.0), "angle"),
            (Kind::Gear { teeth: 0 }, "teeth"),
        ] {
            let machine = Machine { elements: vec![element("x", 1.0, kind)] };
            assert!(machine.check().unwrap_err().says.contains(word), "{word}");
        }
        for ratio in [0.0, -1.0, f64::NAN, 1e9] {
            assert!(Machine { elements: vec![element("x", ratio, Kind::Shaft)] }.check().is_err());
        }
        let twice = vec![element("x", 1.0, Kind::Shaft), element("x", 2.0, Kind::Shaft)];
        assert!(Machine { elements: twice }.check().unwrap_err().says.contains("twice"));
        assert!(Machine { elements: vec![element(" ", 1.0, Kind::Shaft)] }.check().is_err());
    }
}
