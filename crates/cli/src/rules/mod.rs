//! The rules and limits that files are held to.

use std::fmt;
use std::path::PathBuf;
use std::str::FromStr;

use kiln_core::plan::Look;
use serde::Serialize;
use strsim::jaro_winkler;

/// What breaking a rule means.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Level {
    /// The gate stays shut.
    Error,
    /// It is told, and the gate opens.
    Warning,
    /// It is not looked for.
    Off,
}

impl Level {
    /// For people.
    pub fn as_str(self) -> &'static str {
        match self {
            Level::Error => "error",
            Level::Warning => "warning",
            Level::Off => "off",
        }
    }
}

macro_rules! rules {
    ($($rule:ident $name:literal $level:ident $says:literal;)*) => {
        /// A rule.
        #[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
        pub enum Rule {
            $(#[doc = $says] $rule,)*
        }

        impl Rule {
            /// All of them, in the order that they are told in.
            pub const ALL: &'static [Rule] = &[$(Rule::$rule),*];

            /// Its name.
            pub fn as_str(self) -> &'static str {
                match self {
                    $(Rule::$rule => $name,)*
                }
            }

            /// What it asks for.
            pub fn says(self) -> &'static str {
                match self {
                    $(Rule::$rule => $says,)*
                }
            }

            /// What breaking it means where nothing else is said.
            pub fn usual(self) -> Level {
                match self {
                    $(Rule::$rule => Level::$level,)*
                }
            }
        }
    };
}

rules! {
    Damaged "damaged" Error "Every picture can be read.";
    Weight "weight" Error "No picture is heavier than max-weight.";
    PlaceWeight "place-weight" Error "No piece is heavier than its place allows.";
    PageTotal "page-total" Error "The pictures of a page are no heavier than page-total.";
    FolderTotal "folder-total" Error "The pictures of a folder are no heavier than folder-total.";
    Total "total" Error "All pictures together are no heavier than max-total.";
    Width "width" Error "No picture is wider than any place shows.";
    Format "format" Off "Photos are not stored without loss, graphics not as photos: reads pixels.";
    Passes "passes" Warning "JPEG files are progressive.";
    Position "position" Error "No metadata says where a picture was taken.";
    Person "person" Warning "No metadata names a person whom [metadata] does not keep.";
    Colours "colours" Warning "Colours are those of sRGB, or of a profile that browsers know.";
    Text "alternative-text" Error "Every picture has an alternative text that says something.";
    Sides "sides" Warning "Every img element has a width and a height, so that nothing shifts.";
    Dead "dead-reference" Error "Every reference leads to a file.";
    Unused "unused" Warning "Something refers to every picture.";
    Missing "missing-piece" Error "Every piece of the ledger is there.";
    Altered "altered-piece" Error "Every piece is as it was made.";
    Outdated "outdated-piece" Error "Every piece is of its original as that is now.";
    Look "look" Error "Every piece reaches the look, against its original: reads pixels.";
}

impl fmt::Display for Rule {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.as_str())
    }
}

impl Serialize for Rule {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.serialize_str(self.as_str())
    }
}

impl FromStr for Rule {
    type Err = String;

    fn from_str(text: &str) -> Result<Rule, String> {
        let text = text.trim();
        if let Some(rule) = Rule::ALL.iter().find(|rule| rule.as_str() == text) {
            return Ok(*rule);
        }
        let likeness = |rule: &&Rule| (jaro_winkler(text, rule.as_str()) * 1e6) as u64;
        let nearest = Rule::ALL.iter().max_by_key(likeness);
        let names = || {
            Rule::ALL
                .iter()
                .map(|rule| rule.as_str())
                .collect::<Vec<_>>()
        };
        Err(match nearest.filter(|rule| likeness(rule) > 750_000) {
            Some(nearest) => format!("there is no rule {text:?}; did you mean {nearest}?"),
            None => format!(
                "there is no rule {text:?}; the rules are {}",
                names().join(", ")
            ),
        })
    }
}

/// Levels of rules that were set, the last said counting.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Levels(Vec<(Rule, Level)>);

impl Levels {
    /// Sets the level of some rules.
    pub fn set(&mut self, rules: &[Rule], level: Level) {
        self.0.extend(rules.iter().map(|rule| (*rule, level)));
    }

    /// These over others.
    pub fn over(&self, below: &Levels) -> Levels {
        let mut both = below.clone();
        both.0.extend_from_slice(&self.0);
        both
    }

    /// The level of a rule.
    pub fn of(&self, rule: Rule) -> Level {
        let set = self.0.iter().rev().find(|(one, _)| *one == rule);
        set.map_or(rule.usual(), |(_, level)| *level)
    }
}

/// What is held against files; `None` where nothing is said.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct CheckLimits {
    /// For each picture, in bytes.
    pub max_weight: Option<u64>,
    /// For all together.
    pub max_total: Option<u64>,
    /// For those of a page.
    pub page_total: Option<u64>,
    /// For those of a folder.
    pub folder_total: Option<u64>,
    /// For each picture, in pixels.
    pub max_width: Option<u32>,
    /// For each piece, against its original.
    pub look: Option<Look>,
    /// Levels that were set.
    pub levels: Levels,
    /// What may pass.
    pub baseline: Option<PathBuf>,
}

impl CheckLimits {
    /// These over those of a kiln file.
    pub fn over(self, below: &CheckLimits) -> CheckLimits {
        CheckLimits {
            max_weight: self.max_weight.or(below.max_weight),
            max_total: self.max_total.or(below.max_total),
            page_total: self.page_total.or(below.page_total),
            folder_total: self.folder_total.or(below.folder_total),
            max_width: self.max_width.or(below.max_width),
            look: self.look.or(below.look),
            levels: self.levels.over(&below.levels),
            baseline: self.baseline.or_else(|| below.baseline.clone()),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_last_word_counts_and_wrong_names_are_told() {
        let (mut file, mut typed) = (Levels::default(), Levels::default());
        file.set(&[Rule::Unused, Rule::Passes], Level::Error);
        typed.set(&[Rule::Unused], Level::Off);
        let levels = typed.over(&file);
        assert_eq!(levels.of(Rule::Unused), Level::Off);
        assert_eq!(levels.of(Rule::Passes), Level::Error);
        assert_eq!(levels.of(Rule::Format), Level::Off);
        assert!(
            "unusde"
                .parse::<Rule>()
                .expect_err("none")
                .contains("did you mean unused?")
        );
        assert!(
            "x".parse::<Rule>()
                .expect_err("none")
                .contains("the rules are damaged")
        );
        for rule in Rule::ALL {
            assert_eq!(rule.as_str().parse(), Ok(*rule));
        }
    }
}
