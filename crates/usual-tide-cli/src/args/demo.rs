//! The options of the tour.

use clap::Args;
use std::str::FromStr;

#[derive(Args, Debug)]
pub(crate) struct Demo {
    /// Print these scenes alone, such as 7 or 7-9; those before them are played all the same.
    #[arg(long, value_name = "FROM[-TO]")]
    pub(crate) scenes: Option<SceneRange>,
}

/// Scenes by their numbers, from 1, the last included.
#[derive(Clone, Copy, Debug)]
pub(crate) struct SceneRange {
    pub(crate) first: usize,
    pub(crate) last: usize,
}

/// How many scenes the tour has.
pub(crate) const SCENES: usize = 13;

impl SceneRange {
    pub(crate) fn has(self, scene: usize) -> bool {
        (self.first..=self.last).contains(&scene)
    }
}

impl FromStr for SceneRange {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let (first, last) = text.split_once('-').unwrap_or((text, text));
        let number = |text: &str| match text.trim().parse() {
            Ok(number) if (1..=SCENES).contains(&number) => Ok(number),
            _ => Err(format!(
                "{text:?} is no scene: they are numbered from 1 to {SCENES}"
            )),
        };
        let (first, last) = (number(first)?, number(last)?);
        if last < first {
            return Err(format!("scene {last} comes before scene {first}"));
        }
        Ok(Self { first, last })
    }
}
