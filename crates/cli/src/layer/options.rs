//! The settings as options of the command line.

use clap::builder::ValueParser;
use clap::error::ErrorKind;
use clap::{Arg, ArgAction, ArgMatches, Args, Command, FromArgMatches};

use super::setting::{Opt, Refusal, Setting, Typed};
use super::table::SETTINGS;
use super::{Layer, Origin};

/// The option of a setting.
fn arg(setting: &'static Setting, option: &'static Opt) -> Arg {
    let arg = Arg::new(setting.key)
        .long(option.long)
        // As the derived ones: no full stop at the end.
        .help(option.help.strip_suffix('.').unwrap_or(option.help))
        .conflicts_with_all(option.excludes);
    let arg = match option.short {
        Some(short) => arg.short(short),
        None => arg,
    };
    let Some(value) = option.value else {
        return arg.action(ArgAction::SetTrue);
    };
    let sound = move |text: &str| match setting.take(
        &mut Layer::default(),
        &Typed::One(text.to_owned()),
        Origin::Option,
    ) {
        Ok(()) => Ok(text.to_owned()),
        Err(Refusal::Value(says) | Refusal::Twice(says)) => Err(says),
    };
    let arg = arg
        .value_name(value)
        .allow_negative_numbers(true)
        .value_parser(ValueParser::from(sound));
    if is_list(value) {
        arg.action(ArgAction::Append).value_delimiter(',')
    } else {
        arg.action(ArgAction::Set)
    }
}

/// What several of may be given says so in its name.
fn is_list(value: &str) -> bool {
    value.ends_with(",…")
}

/// The settings of a place as typed: what they mean, and their texts by their keys. A command that tries
/// codings takes only those that decide what a picture is shown as.
#[derive(Clone, Debug, Default)]
pub struct TypedLayer<const SHAPE_ONLY: bool = false> {
    /// What they mean.
    pub layer: Layer,
    /// Their texts, in the order of the table.
    pub texts: Vec<(&'static str, Typed)>,
}

/// The settings that decide what a picture is shown as.
pub type TypedShape = TypedLayer<true>;

/// What a command that tries codings decides by itself, or has no use for.
const CODINGS: [&str; 9] = [
    "formats",
    "min-size",
    "name",
    "max-weight",
    "quality",
    "look",
    "aim",
    "least-look",
    "shrink-to-fit",
];

impl<const SHAPE_ONLY: bool> TypedLayer<SHAPE_ONLY> {
    /// The settings that can be typed.
    fn settings() -> impl Iterator<Item = &'static Setting> {
        let settings = SETTINGS.iter();
        settings.filter(|setting| !SHAPE_ONLY || !CODINGS.contains(&setting.key))
    }
}

impl<const SHAPE_ONLY: bool> Args for TypedLayer<SHAPE_ONLY> {
    fn augment_args(command: Command) -> Command {
        let settings = Self::settings();
        let options = settings.filter_map(|setting| Some(arg(setting, setting.option.as_ref()?)));
        command.args(options)
    }

    fn augment_args_for_update(command: Command) -> Command {
        Self::augment_args(command)
    }
}

impl<const SHAPE_ONLY: bool> FromArgMatches for TypedLayer<SHAPE_ONLY> {
    fn from_arg_matches(matches: &ArgMatches) -> Result<Self, clap::Error> {
        let mut typed = Self::default();
        typed.update_from_arg_matches(matches)?;
        Ok(typed)
    }

    fn update_from_arg_matches(&mut self, matches: &ArgMatches) -> Result<(), clap::Error> {
        for setting in Self::settings() {
            let Some(option) = &setting.option else {
                continue;
            };
            let texts = || {
                matches
                    .get_many::<String>(setting.key)
                    .map(|texts| texts.cloned())
            };
            let typed = match option.value {
                None => matches
                    .get_flag(setting.key)
                    .then(|| Typed::One("true".to_owned())),
                Some(value) if is_list(value) => texts().map(|texts| Typed::List(texts.collect())),
                Some(_) => texts().and_then(|mut texts| texts.next()).map(Typed::One),
            };
            let Some(typed) = typed else {
                continue;
            };
            if let Err(Refusal::Value(says) | Refusal::Twice(says)) =
                setting.take(&mut self.layer, &typed, Origin::Option)
            {
                return Err(clap::Error::raw(ErrorKind::ValueValidation, says));
            }
            self.texts.push((setting.key, typed));
        }
        Ok(())
    }
}
