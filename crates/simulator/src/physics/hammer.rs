//! An instrumented hammer: a mass with a springy tip that meets the structure, is pushed back, and is taken away.

/// What is screwed to the hammer's head.
#[derive(Debug, Clone, Copy, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Tip {
    /// Soft: long contact, little above some hundred hertz.
    Rubber,
    /// Medium.
    Nylon,
    /// Hard: short contact, up to some kilohertz.
    Steel,
}

impl Tip {
    /// Force over the 1.5th power of how deep it gives, N/m^1.5.
    fn stiffness(self) -> f64 {
        match self {
            Tip::Rubber => 6e5,
            Tip::Nylon => 1.2e8,
            Tip::Steel => 3e9,
        }
    }
}

/// Mass of the head, kg.
const HEAD: f64 = 0.32;
/// Share of the force that the tip loses for every m/s it gives way, s/m.
const LOSS: f64 = 0.06;

/// How a hit is done.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Manner {
    /// Once, straight.
    #[default]
    Clean,
    /// The hammer falls back onto the structure.
    Double,
    /// At a slant: the hammer feels more than the structure gets along the normal, and it is pushed sideways too.
    Glancing,
}

/// Slant of a glancing hit, as the share along the normal and the one across it.
pub const GLANCING: (f64, f64) = (0.77, 0.64);
/// When a hammer that falls back is on the structure again, s, and with which share of the speed.
const FALLS_BACK: (f64, f64) = (0.018, 0.55);

/// A hammer on its way or in contact, along the axis of its handle's swing.
#[derive(Debug, Clone)]
pub struct Hammer {
    tip: Tip,
    /// Place of the tip above the structure at rest, m; below zero it gives way.
    at: f64,
    speed: f64,
    first_speed: f64,
    touched: bool,
    /// Time since it left, s, and whether it comes again.
    left: Option<f64>,
    again: bool,
}

impl Hammer {
    /// A hammer just above the structure that hits with about so many N.
    pub fn swung(tip: Tip, newtons: f64, manner: Manner) -> Hammer {
        // All of its motion goes into the tip: ½ m v² = ⅖ k δ^2.5, and F = k δ^1.5.
        let deep = (newtons / tip.stiffness()).powf(2.0 / 3.0);
        let speed = (0.8 * tip.stiffness() * deep.powf(2.5) / HEAD).sqrt();
        let again = manner == Manner::Double;
        Hammer { tip, at: 1e-6, speed: -speed, first_speed: speed, touched: false, left: None, again }
    }

    /// Lets it go on for `dt`, over a structure that is at `surface` and moves with `surface_speed` along the same
    /// axis; gives the force between them, N.
    pub fn step(&mut self, dt: f64, surface: f64, surface_speed: f64) -> f64 {
        if let Some(since) = &mut self.left {
            *since += dt;
            if self.again && *since >= FALLS_BACK.0 {
                self.again = false;
                self.left = None;
                self.touched = false;
                (self.at, self.speed) = (surface + 1e-6, -FALLS_BACK.1 * self.first_speed);
            }
            return 0.0;
        }
        let deep = surface - self.at;
        let closing = surface_speed - self.speed;
        let force = if deep > 0.0 {
            self.touched = true;
            (self.tip.stiffness() * deep.powf(1.5) * (1.0 + LOSS * closing)).max(0.0)
        } else {
            0.0
        };
        if self.touched && deep <= 0.0 {
            // The hand takes it away before the structure comes back to it.
            self.left = Some(0.0);
            return 0.0;
        }
        self.speed += force / HEAD * dt;
        self.at += self.speed * dt;
        force
    }

    /// Whether nothing more comes of it.
    pub fn is_over(&self) -> bool {
        self.left.is_some() && !self.again
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const DT: f64 = 1.0 / 102_400.0;

    /// Force over time on something that does not give.
    fn forces(tip: Tip, newtons: f64, manner: Manner) -> Vec<f64> {
        let mut hammer = Hammer::swung(tip, newtons, manner);
        let mut all = Vec::new();
        while !hammer.is_over() {
            all.push(hammer.step(DT, 0.0, 0.0));
            assert!(all.len() < 10_000, "it never leaves");
        }
        all
    }

    #[test]
    fn a_harder_tip_is_in_contact_for_a_shorter_time() {
        let lasts = |tip| forces(tip, 300.0, Manner::Clean).iter().filter(|f| **f > 3.0).count() as f64 * DT;
        let (rubber, nylon, steel) = (lasts(Tip::Rubber), lasts(Tip::Nylon), lasts(Tip::Steel));
        assert!(rubber > 5e-3 && rubber < 2e-2, "{rubber}");
        assert!(nylon > 0.8e-3 && nylon < 2.5e-3, "{nylon}");
        assert!(steel > 1e-4 && steel < 6e-4, "{steel}");
    }

    #[test]
    fn the_peak_is_about_what_was_wanted() {
        for newtons in [40.0, 300.0, 900.0] {
            let peak = forces(Tip::Nylon, newtons, Manner::Clean).into_iter().fold(0.0, f64::max);
            assert!((peak / newtons - 1.0).abs() < 0.12, "{peak} for {newtons}");
        }
    }

    #[test]
    fn a_hammer_that_falls_back_hits_twice() {
        let all = forces(Tip::Nylon, 300.0, Manner::Double);
        let contacts = all.windows(2).filter(|w| w[0] == 0.0 && w[1] > 0.0).count();
        assert_eq!(contacts, 2);
        let second = all[1000..].iter().fold(0.0f64, |p, f| p.max(*f));
        assert!(second > 100.0 && second < 250.0, "{second}");
    }
}
