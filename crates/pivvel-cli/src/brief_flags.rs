//! Flags that change a brief. A flag is one entry of a table: its name, what stands after it, its help, the words that
//! it may be, and what it does. Flags take effect in the order of the table.

use std::marker::PhantomData;
use std::str::FromStr;

use clap::builder::PossibleValuesParser;
use clap::{Arg, ArgAction, ArgMatches, Args, Command, FromArgMatches};
use pivvel::brief::{
    BadValues, DimensionBrief, EmphasisBrief, Form, MeasureBrief, NumberFormat, PeersOf, Side, TotalsOf,
    YardstickOf, drop_emphasis, set_emphasis, set_rule,
};
use pivvel::formula::Formula;
use pivvel::{Brief, Error, Result};

use crate::texts::{assume, measure, names, of_dimension, related, split, tier, top, unquoted};

/// A flag that changes a brief.
#[derive(Debug)]
pub(crate) struct BriefFlag {
    name: &'static str,
    /// What stands after it.
    value: &'static str,
    help: &'static str,
    /// What it stands under in the help.
    heading: &'static str,
    /// Whether it may be given more than once.
    repeats: bool,
    /// The words that it may be; any text where there are none.
    words: &'static [(&'static str, &'static str)],
    /// What of the brief gives way to it, whatever its values are.
    replaces: fn(Brief) -> Brief,
    /// What one value does.
    sets: Sets,
}

/// A value that was given.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Given<'a> {
    /// The flag's name.
    flag: &'static str,
    pub(crate) text: &'a str,
}

impl Given<'_> {
    /// An error at this flag.
    pub(crate) fn wrong(&self, message: impl Into<String>) -> Error {
        Error::request(format!("--{}", self.flag), message)
    }

    /// The error that a value is not written as it must be.
    pub(crate) fn unlike(&self, example: &str) -> Error {
        self.wrong(format!("{} is not written like {example}", self.text))
    }

    /// The value that it is written for.
    fn parsed<T: FromStr<Err = Error>>(&self) -> Result<T> {
        self.text.parse().map_err(|e: Error| e.within(format_args!("--{}", self.flag)))
    }

    /// Changes everything that stands out.
    fn each_emphasis(&self, brief: Brief, set: impl Fn(EmphasisBrief) -> EmphasisBrief) -> Result<Brief> {
        if brief.get_emphasis().is_empty() {
            return Err(self.wrong("nothing stands out: say --tint, --ink, --bar or --symbol with it"));
        }
        let all: Vec<EmphasisBrief> = brief.get_emphasis().iter().cloned().map(set).collect();
        Ok(brief.emphasis(all))
    }

    /// Lets a measure stand out.
    fn stand_out(&self, brief: Brief, form: Form) -> Result<Brief> {
        let known = || brief.get_measures().iter().map(MeasureBrief::get_name);
        // A brief keeps what it says of a measure that is gone; what is typed is meant now.
        let meant =
            known().any(|name| name == self.text) || brief.get_measures().is_empty() && self.text == "lines";
        if !meant {
            return Err(Error::unknown(format!("--{}", self.flag), "measure", self.text, known()));
        }
        Ok(brief.emphasize(EmphasisBrief::new(self.text, form)))
    }

    /// Members after a dimension.
    fn members(&self) -> Result<(String, Vec<String>)> {
        let (dimension, members) = of_dimension(self, "'coast: Fell Coast, Skerry Coast'")?;
        match names(&members) {
            none if none.is_empty() => {
                Err(self.wrong(format!("{} names no member; the blank one is called blank", self.text)))
            }
            members => Ok((dimension, members)),
        }
    }
}

/// What flags end with that may also name a file of such texts.
const FORMULA: &str = "NAME = FORMULA";

type Sets = fn(Given, Brief) -> Result<Brief>;

/// A flag that may be given once.
const fn once(name: &'static str, value: &'static str, help: &'static str, sets: Sets) -> BriefFlag {
    BriefFlag {
        name,
        value,
        help,
        heading: "Brief",
        repeats: false,
        words: &[],
        replaces: |brief| brief,
        sets,
    }
}

/// A flag that may be given again.
const fn again(name: &'static str, value: &'static str, help: &'static str, sets: Sets) -> BriefFlag {
    BriefFlag { repeats: true, ..once(name, value, help, sets) }
}

/// A flag that lets a measure stand out, in place of all that the brief lets stand out.
const fn shown(name: &'static str, help: &'static str, sets: Sets) -> BriefFlag {
    again(name, "MEASURE", help, sets).in_place_of(|brief| brief.emphasis([]))
}

/// The heading of flags of lines.
const LINES: &str = "Lines";

/// Flags of how lines are read.
static OF_LINES: &[BriefFlag] = &[
    again(
        "as",
        "COLUMN=KIND",
        "Give a column a kind: amount=decimal(2), sold_on=date(dmy), code=text; also whole, float, yesno",
        |given, brief| {
            let pair = given.text.rsplit_once('=');
            let (column, kind) = pair.ok_or_else(|| {
                given.wrong(format!("{} is not COLUMN=KIND, as in 'amount=decimal(2)'", given.text))
            })?;
            Ok(brief.kind(unquoted(column), kind.trim()))
        },
    )
    .under(LINES),
    once(
        "bad-values",
        "WHAT",
        "What to do about values that do not fit their column's kind",
        |given, brief| Ok(brief.bad_values(given.parsed::<BadValues>()?)),
    )
    .one_of(&[("stop", "List up to ten of them and stop"), ("blank", "Take them as blank and say how many")])
    .under(LINES),
];

/// Flags of which lines count, and of what is assumed: what a brief is run with.
static OF_RUNS: &[BriefFlag] = &[
    again(
        "where",
        "CONDITION",
        "The condition that lines must meet: \"channel <> 'staff' and amount > 0\"; all, where several are given",
        |given, brief| {
            let condition = Formula::from(given.text);
            let condition = match brief.get_filter() {
                Some(others) => others.and(&condition),
                None => condition,
            };
            Ok(brief.filter(condition))
        },
    )
    .in_place_of(Brief::without_filter)
    .under(LINES),
    again(
        "assume",
        "NAME=VALUE",
        "Set an assumption of the brief to another value: uplift=4%",
        |given, brief| assume(given.text, brief),
    ),
];

/// Flags of what is wanted of lines.
static OF_BRIEFS: &[BriefFlag] = &[
    once(
        "rows",
        "A,B",
        "Dimensions on the rows, outermost first: coast,harbour or sold_on.month",
        |given, brief| Ok(brief.rows(names(given.text))),
    ),
    once("columns", "A,B", "Dimensions on the columns, outermost first", |given, brief| {
        Ok(brief.columns(names(given.text)))
    }),
    again(
        "measure",
        "NAME = FORMULA",
        "A measure: 'sales = sum(amount)', 'share = sales / sales at parent'; or @FILE with one on each line",
        |given, brief| Ok(brief.measure(measure(given.text))),
    )
    .in_place_of(|brief| brief.measures([])),
    again(
        "hidden-measure",
        "NAME = FORMULA",
        "A measure that others use and that is not shown",
        |given, brief| Ok(brief.measure(measure(given.text).hidden(true))),
    ),
    again(
        "format",
        "MEASURE = FORMAT",
        "How a measure is shown: 'margin = percent'; also auto, whole, money, thousands, millions",
        |given, brief| {
            let pair = given.text.split_once('=').map(|(name, format)| (unquoted(name), format.trim()));
            let (name, format) = pair.ok_or_else(|| {
                given.wrong(format!(
                    "{} is not MEASURE = FORMAT, as in 'margin = percent'; the form of output is --form",
                    given.text
                ))
            })?;
            let format = NumberFormat::named(format).map_err(|e| e.within("--format"))?;
            let mut measures = brief.get_measures().to_vec();
            let Some(measure) = measures.iter_mut().find(|measure| measure.get_name() == name) else {
                let known = brief.get_measures().iter().map(MeasureBrief::get_name);
                return Err(Error::unknown("--format", "measure", &name, known));
            };
            *measure = measure.clone().format(format);
            Ok(brief.measures(measures))
        },
    ),
    again(
        "derive",
        "NAME = FORMULA",
        "A column computed line by line: 'takings = price * quantity'",
        |given, brief| {
            let pair = given.text.split_once('=').filter(|(name, _)| !name.trim().is_empty());
            let (name, formula) = pair.ok_or_else(|| given.unlike("'takings = price * quantity'"))?;
            Ok(brief.derive(&unquoted(name), formula.trim()))
        },
    ),
    again(
        "item",
        "DIMENSION: NAME = FORMULA",
        "A member computed from its siblings: 'scenario: variance = actual - plan'",
        |given, brief| {
            let example = "'scenario: variance = actual - plan'";
            let (dimension, rest) = of_dimension(&given, example)?;
            let (name, formula) = rest.split_once('=').ok_or_else(|| given.unlike(example))?;
            let (name, formula) = (unquoted(name), formula.trim());
            Ok(brief.item(&dimension, &name, formula))
        },
    ),
    again(
        "tier",
        "NAME of DIMENSION by WHAT at CUTS [as LABELS]",
        "Classes of members: 'size of yard by sum(amount) at 10000, 50000 as small, middle, large'; at \
               25%, 50% for shares of the members",
        |given, brief| Ok(brief.tier(tier(&given)?)),
    ),
    again(
        "related",
        "FILE on KEY",
        "Bring in columns of another file by key: 'articles.csv on article', 'yards.csv on yard = code'",
        |given, brief| Ok(brief.related(related(&given)?)),
    ),
    again(
        "top",
        "DIMENSION N by WHAT [overall] [others NAME]",
        "Keep the highest members of a level: 'harbour 5 by sales', 'yard 20% by sales overall others \
               \"All other yards\"'",
        |given, brief| {
            let (dimension, kept) = top(&given)?;
            Ok(brief.top(&dimension, kept))
        },
    ),
    again(
        "bottom",
        "DIMENSION N by WHAT [overall] [others NAME]",
        "Keep the lowest members of a level, written as for --top",
        |given, brief| {
            let (dimension, kept) = top(&given)?;
            Ok(brief.bottom(&dimension, kept))
        },
    ),
    again(
        "having",
        "DIMENSION: CONDITION",
        "Show members only whose cells meet a condition: 'harbour: sales > 10000'",
        |given, brief| {
            let (dimension, condition) = of_dimension(&given, "'harbour: sales > 10000'")?;
            Ok(brief.dimension(&dimension, |own| own.having(condition)))
        },
    ),
    again(
        "only",
        "DIMENSION: MEMBERS",
        "Show these members only: 'coast: Fell Coast, Skerry Coast'",
        |given, brief| {
            let (dimension, members) = given.members()?;
            Ok(brief.dimension(&dimension, |own| own.only(members)))
        },
    ),
    again("except", "DIMENSION: MEMBERS", "Do not show these members: 'channel: staff'", |given, brief| {
        let (dimension, members) = given.members()?;
        Ok(brief.dimension(&dimension, |own| own.except(members)))
    }),
    once("totals-of", "WHAT", "What totals cover if some members are not shown", |given, brief| {
        let cover = given.parsed::<TotalsOf>()?;
        let all = brief.get_dimensions().iter().cloned().map(|own| own.totals_of(cover));
        let all: Vec<DimensionBrief> = all.collect();
        Ok(brief.dimensions(all))
    })
    .one_of(&[("all", "All members"), ("shown", "The members that are shown")]),
    again(
        "sort",
        "DIMENSION by WHAT",
        "The order of a dimension's members: 'harbour by sales desc', 'coast by label', 'coast by sales \
               at scenario 'plan' desc'",
        |given, brief| {
            let pair = split(given.text, " by ");
            let (dimension, order) = pair.ok_or_else(|| {
                given.wrong(format!("{} is not DIMENSION by WHAT, as in 'harbour by sales desc'", given.text))
            })?;
            Ok(brief.sort(&unquoted(dimension), order.trim()))
        },
    ),
    shown("tint", "Tint a measure's cells, each level on a scale of its own", |given, brief| {
        given.stand_out(brief, Form::Tint)
    }),
    shown("ink", "Colour a measure's figures, each level on a scale of its own", |given, brief| {
        given.stand_out(brief, Form::Ink)
    }),
    shown("bar", "Draw bars in a measure's cells, each level on a scale of its own", |given, brief| {
        given.stand_out(brief, Form::Bar)
    }),
    shown(
        "symbol",
        "Put symbols beside a measure's figures, each level on a scale of its own",
        |given, brief| given.stand_out(brief, Form::Symbol),
    ),
    again(
        "emphasis",
        "KEY = VALUE, …",
        "Let more stand out beside what the brief says, or change what has a name there: \"on = 'margin', as = 'ink', about = 0\"",
        |given, mut brief| {
            set_emphasis(&mut brief, given.text).map_err(|e| e.within("--emphasis"))?;
            Ok(brief)
        },
    ),
    again(
        "drop",
        "EMPHASIS",
        "Let something stand out no more, by its name or its measure: margin",
        |given, mut brief| {
            drop_emphasis(&mut brief, &unquoted(given.text)).map_err(|e| e.within("--drop"))?;
            Ok(brief)
        },
    ),
    again(
        "rule",
        "EMPHASIS: KEY = VALUE, …",
        "Add a rule that goes before all others, or change the one of its name: \"margin: name = 'thin', below = '20%', show = 'loss'\"",
        |given, mut brief| {
            let (emphasis, keys) = of_dimension(&given, "\"margin: below = '20%', show = 'loss'\"")?;
            set_rule(&mut brief, &emphasis, &keys).map_err(|e| e.within("--rule"))?;
            Ok(brief)
        },
    ),
    once(
        "levels",
        "A,B",
        "Let these levels stand out only: harbour,sold_on.year; also 'row total', 'column total'",
        |given, brief| given.each_emphasis(brief, |emphasis| emphasis.levels(names(given.text))),
    ),
    once(
        "peers",
        "GROUP",
        "The cells that are scaled together: level, siblings, 'column siblings', row, column, branch, all",
        |given, brief| {
            let peers: PeersOf = given.parsed()?;
            given.each_emphasis(brief, |emphasis| emphasis.peers(peers))
        },
    ),
    once("good", "SIDE", "Which direction is good: colours follow", |given, brief| {
        let side: Side = given.parsed()?;
        given.each_emphasis(brief, |emphasis| emphasis.good(side))
    })
    .one_of(&[("high", ""), ("low", "")]),
    once(
        "yardsticks",
        "FILE",
        "Stand on the yardsticks that an earlier run kept in this file",
        |given, brief| {
            given.each_emphasis(brief, |emphasis| emphasis.yardstick(YardstickOf::Kept(given.text.into())))
        },
    ),
    again(
        "totals",
        "PLACES",
        "Where totals stand: before, after or off, for all or by level: 'coast off, row total before'",
        |given, mut brief| {
            for text in names(given.text) {
                let (of, place) = text.rsplit_once(char::is_whitespace).unwrap_or(("", &text));
                let place = Given { text: place.trim(), ..given }.parsed()?;
                brief = brief.total(unquoted(of), place);
            }
            Ok(brief)
        },
    ),
    again(
        "fill",
        "DIMENSION,…",
        "Give every member its cell, whether lines have it or not: sold_on.month,harbour",
        |given, brief| Ok(names(given.text).into_iter().fold(brief, Brief::fill)),
    ),
    again(
        "control",
        "NAME",
        "Let readers of a page choose: the value of an assumption, or members of a dimension",
        |given, brief| {
            let page = brief.get_page().clone().control(unquoted(given.text));
            Ok(brief.page(page))
        },
    ),
    once("script", "YES | NO", "Whether pages hold a script", |given, brief| {
        let page = brief.get_page().clone().script(given.text == "yes");
        Ok(brief.page(page))
    })
    .one_of(&[
        ("yes", "Levels fold, columns sort, members are found"),
        ("no", "A page that can be mailed: it shows the same, and nothing moves"),
    ]),
    once("title", "TITLE", "The heading", |given, brief| Ok(brief.title(given.text))),
];

impl BriefFlag {
    /// The same, of which only these words are values.
    const fn one_of(self, words: &'static [(&'static str, &'static str)]) -> BriefFlag {
        BriefFlag { words, ..self }
    }

    /// The same, to which something of the brief gives way.
    const fn in_place_of(self, replaces: fn(Brief) -> Brief) -> BriefFlag {
        BriefFlag { replaces, ..self }
    }

    /// What each entry of a file does. An entry is a line with the indented lines after it; lines that begin with # are
    /// comments.
    fn set_from_file(&self, file: &str, brief: Brief) -> Result<Brief> {
        let place = format!("--{} @{file}", self.name);
        let text = std::fs::read_to_string(file).map_err(|e| Error::io(&place, e))?;
        let mut entries: Vec<(usize, String)> = Vec::new();
        for (number, line) in text.lines().enumerate().filter(|(_, line)| !line.starts_with('#')) {
            match entries.last_mut() {
                Some((_, entry)) if line.starts_with([' ', '\t']) => {
                    entry.push(' ');
                    entry.push_str(line.trim());
                }
                _ if line.trim().is_empty() => {}
                _ => entries.push((number + 1, line.trim().into())),
            }
        }
        if entries.is_empty() {
            return Err(Error::request(place, format!("this file holds no {}", self.value)));
        }
        entries.iter().try_fold(brief, |brief, (number, text)| {
            (self.sets)(Given { flag: self.name, text }, brief)
                .map_err(|e| e.within(format_args!("{file} line {number}")))
        })
    }

    /// The same under another heading of the help.
    const fn under(self, heading: &'static str) -> BriefFlag {
        BriefFlag { heading, ..self }
    }

    /// The flag as the reader of arguments takes it.
    fn argument(&self) -> Arg {
        let again = if self.repeats { " (repeatable)" } else { "" };
        let argument = Arg::new(self.name)
            .long(self.name)
            .value_name(self.value)
            .help_heading(self.heading)
            .help(format!("{}{again}", self.help))
            .action(if self.repeats { ArgAction::Append } else { ArgAction::Set });
        if self.words.is_empty() {
            return argument;
        }
        let words = self.words.iter().map(|(word, help)| {
            let word = clap::builder::PossibleValue::new(*word);
            if help.is_empty() { word } else { word.help(*help) }
        });
        argument.value_parser(PossibleValuesParser::new(words))
    }
}

/// A table of flags that a command has.
pub(crate) trait Table {
    fn flags() -> impl Iterator<Item = &'static BriefFlag>;
}

/// How lines are read.
#[derive(Debug, Clone)]
pub(crate) struct OfLines;

/// How lines are read, which of them count, and what is assumed.
#[derive(Debug, Clone)]
pub(crate) struct OfRuns;

/// All of these, and what is wanted of the lines.
#[derive(Debug, Clone)]
pub(crate) struct OfBriefs;

impl Table for OfLines {
    fn flags() -> impl Iterator<Item = &'static BriefFlag> {
        OF_LINES.iter()
    }
}

impl Table for OfBriefs {
    fn flags() -> impl Iterator<Item = &'static BriefFlag> {
        OF_BRIEFS.iter().chain(OF_RUNS).chain(OF_LINES)
    }
}

impl Table for OfRuns {
    fn flags() -> impl Iterator<Item = &'static BriefFlag> {
        OF_RUNS.iter().chain(OF_LINES)
    }
}

/// The flags of a table with the values that were given.
#[derive(Debug, Clone)]
pub(crate) struct BriefFlags<T>(Vec<(&'static BriefFlag, Vec<String>)>, PhantomData<T>);

impl<T> BriefFlags<T> {
    /// Whether they change anything.
    pub(crate) fn change(&self) -> bool {
        !self.0.is_empty()
    }

    /// What was given for one of them.
    pub(crate) fn values(&self, name: &str) -> &[String] {
        self.0.iter().find(|(flag, _)| flag.name == name).map_or(&[], |(_, values)| values)
    }

    /// The brief, changed by what was given.
    pub(crate) fn apply(&self, brief: Brief) -> Result<Brief> {
        let brief = self.0.iter().fold(brief, |brief, (flag, _)| (flag.replaces)(brief));
        let given = self.0.iter().flat_map(|(flag, values)| values.iter().map(move |text| (flag, text)));
        given.into_iter().try_fold(brief, |brief, (flag, text)| {
            match text.strip_prefix('@').filter(|_| flag.value.ends_with(FORMULA)) {
                Some(file) => flag.set_from_file(file, brief),
                None => (flag.sets)(Given { flag: flag.name, text }, brief),
            }
        })
    }
}

impl<T: Table> Args for BriefFlags<T> {
    fn augment_args(command: Command) -> Command {
        T::flags().fold(command, |command, flag| command.arg(flag.argument()))
    }

    fn augment_args_for_update(command: Command) -> Command {
        Self::augment_args(command)
    }
}

impl<T: Table> FromArgMatches for BriefFlags<T> {
    fn from_arg_matches(matches: &ArgMatches) -> Result<Self, clap::Error> {
        let given = T::flags().filter_map(|flag| {
            let values = matches.get_many::<String>(flag.name)?;
            Some((flag, values.cloned().collect()))
        });
        Ok(BriefFlags(given.collect(), PhantomData))
    }

    fn update_from_arg_matches(&mut self, matches: &ArgMatches) -> Result<(), clap::Error> {
        *self = Self::from_arg_matches(matches)?;
        Ok(())
    }
}
