//! Hands at the bracket: a hammer that hits, sensors that are moved from point to point, a script that does both by
//! itself.

use super::plug::Plug;
use super::{Lantern, Machine};
use crate::physics::bracket::{Bracket, Hit, Place, Struck};
use serde::{Deserialize, Serialize};

/// Steps of a script at most.
const MOST_STEPS: usize = 2000;

/// Something that hands do at the bracket.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(tag = "do", rename_all = "snake_case")]
pub enum Deed {
    /// The hammer hits.
    Hit(Hit),
    /// A sensor is moved to a point, in a direction; of a block with three axes all three.
    Hang {
        /// The input its cable goes to.
        input: u16,
        /// Number of the point.
        point: usize,
        /// Direction: x, y, z, with a sign.
        direction: String,
    },
    /// The stud of a point is screwed tight, or loosened.
    Screw {
        /// Number of the point.
        point: usize,
        /// Whether tight.
        tight: bool,
    },
    /// The wind blows on it, or not.
    Wind {
        /// Whether it blows.
        on: bool,
    },
}

/// A step of a script.
#[derive(Debug, Clone, PartialEq, Deserialize)]
pub struct ScriptStep {
    /// How long after the one before, s.
    pub after_s: f64,
    /// What is done.
    #[serde(flatten)]
    pub deed: Deed,
}

/// Where a sensor hangs.
#[derive(Debug, Serialize)]
pub struct Hangs {
    /// The input.
    pub input: u16,
    /// Number of the point.
    pub point: usize,
    /// Direction, with its sign.
    pub direction: String,
}

/// What was done at the bracket, for the control page.
#[derive(Debug, Serialize)]
pub struct Tapped {
    /// Hits, oldest first.
    pub struck: Vec<Struck>,
    /// Points whose studs are loose.
    pub loose: Vec<usize>,
    /// Whether the wind blows.
    pub wind: bool,
    /// Where the sensors hang.
    pub hangs: Vec<Hangs>,
    /// Steps of the script that are still to come.
    pub to_come: usize,
}

impl Lantern {
    fn bracket(&mut self) -> Result<&mut Bracket, String> {
        match &mut self.machine {
            Machine::Bracket(b) => Ok(b),
            _ => Err("this front end is not on the bracket".into()),
        }
    }

    /// What was done at the bracket; none on something else.
    pub(super) fn tapped(&self) -> Option<Tapped> {
        let Machine::Bracket(b) = &self.machine else { return None };
        let hangs = self.sockets.iter().enumerate().filter_map(|(i, s)| {
            let at = s.plug.as_ref().and_then(Plug::on_bracket)?;
            let direction = format!("{}{}", if at.against { "-" } else { "" }, ["x", "y", "z"][at.axis]);
            Some(Hangs { input: i as u16 + 1, point: at.point + 1, direction })
        });
        Some(Tapped {
            struck: b.struck().cloned().collect(),
            loose: b.loose(),
            wind: b.windy(),
            hangs: hangs.collect(),
            to_come: self.script.len(),
        })
    }

    /// Does something at the bracket.
    ///
    /// # Errors
    /// Another machine, a place that there is not, an input on which nothing hangs.
    pub fn does(&mut self, deed: Deed) -> Result<(), String> {
        match deed {
            Deed::Hit(hit) => self.bracket()?.hit(hit),
            Deed::Screw { point, tight } => self.bracket()?.screw(point, tight),
            Deed::Wind { on } => {
                self.bracket()?.blow(on);
                Ok(())
            }
            Deed::Hang { input, point, direction } => {
                self.bracket()?;
                let at = Place::read(point, &direction)?;
                let label = self.socket(input)?.plug.as_ref().map(|p| p.label.clone());
                let label = label.ok_or_else(|| format!("nothing is plugged into input {input}"))?;
                // Three axes of one block move together; each keeps its own direction.
                let block = label.strip_suffix(['x', 'y', 'z']).filter(|l| l.ends_with(' '));
                for plug in self.sockets.iter_mut().filter_map(|s| s.plug.as_mut()) {
                    let Some(was) = plug.on_bracket() else { continue };
                    match block {
                        Some(block) if plug.label.starts_with(block) => plug.hang(Place { point: at.point, ..was }),
                        None if plug.label == label => plug.hang(at),
                        _ => {}
                    }
                }
                Ok(())
            }
        }
    }

    /// Begins to do one thing after the other by itself; what was still to come of another script is left.
    ///
    /// # Errors
    /// Another machine, times that cannot be, or more than two thousand steps.
    pub fn follows(&mut self, steps: Vec<ScriptStep>) -> Result<(), String> {
        self.bracket()?;
        if steps.len() > MOST_STEPS {
            return Err(format!("a script has up to {MOST_STEPS} steps, not {}", steps.len()));
        }
        if let Some(s) = steps.iter().find(|s| !(s.after_s.is_finite() && (0.0..=3600.0).contains(&s.after_s))) {
            return Err(format!("a step comes 0 to 3600 s after the one before, not {}", s.after_s));
        }
        let mut at = self.sample as f64 / self.settings.rate_hz;
        self.script = steps
            .into_iter()
            .map(|s| {
                at += s.after_s;
                (at, s.deed)
            })
            .collect();
        Ok(())
    }

    /// Does what the script says is due before the next block.
    pub(super) fn follow_script(&mut self) {
        let now = self.sample as f64 / self.settings.rate_hz;
        while let Some((_, deed)) = self.script.pop_front_if(|s| s.0 <= now) {
            if let Err(says) = self.does(deed) {
                tracing::warn!("the script: {says}");
            }
        }
    }
}
