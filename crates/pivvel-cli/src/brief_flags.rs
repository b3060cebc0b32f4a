//! Flags that change a brief. A flag is one entry of a table: its name, what stands after it, its help, the words that
//! it may be, and what it does. Flags take effect in the order of the table.

use std::marker::PhantomData;
use std::str::FromStr;

use clap::builder::PossibleValuesParser;
use clap::{Arg, ArgAction, ArgMatches, Args, Command, FromArgMatches};
use pivvel::brief::{
    EmphasisBrief, Form, ItemBrief, NumberFormat, YardstickOf, drop_emphasis, set_emphasis, set_rule,
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
    replaces: fn(&mut Brief),
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
    fn each_emphasis(&self, brief: &mut Brief, set: impl Fn(&mut EmphasisBrief)) -> Result<()> {
        if brief.emphasis.is_empty() {
            return Err(self.wrong("nothing stands out: say --tint, --ink, --bar or --symbol with it"));
        }
        brief.emphasis.iter_mut().for_each(set);
        Ok(())
    }

    /// Lets a measure stand out.
    fn stand_out(&self, brief: &mut Brief, form: Form) -> Result<()> {
        let known = || brief.measures.iter().map(|measure| measure.name.as_str());
        // A brief keeps what it says of a measure that is gone; what is typed is meant now.
        let meant =
            known().any(|name| name == self.text) || brief.measures.is_empty() && self.text == "lines";
        if !meant {
            return Err(Error::unknown(format!("--{}", self.flag), "measure", self.text, known()));
        }
        brief.emphasis.push(EmphasisBrief::new(self.text, form));
        Ok(())
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

type Sets = fn(Given, &mut Brief) -> Result<()>;

/// A flag that may be given once.
const fn once(name: &'static str, value: &'static str, help: &'static str, sets: Sets) -> BriefFlag {
    BriefFlag { name, value, help, heading: "Brief", repeats: false, words: &[], replaces: |_| {}, sets }
}

/// A flag that may be given again.
const fn again(name: &'static str, value: &'static str, help: &'static str, sets: Sets) -> BriefFlag {
    BriefFlag { repeats: true, ..once(name, value, help, sets) }
}

/// A flag that lets a measure stand out, in place of all that the brief lets stand out.
const fn shown(name: &'static str, help: &'static str, sets: Sets) -> BriefFlag {
    again(name, "MEASURE", help, sets).in_place_of(|brief| brief.emphasis.clear())
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
            brief.kinds.push((unquoted(column), kind.trim().to_string()));
            Ok(())
        },
    )
    .under(LINES),
    once(
        "bad-values",
        "WHAT",
        "What to do about values that do not fit their column's kind",
        |given, brief| {
            brief.bad_values = given.parsed()?;
            Ok(())
        },
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
            brief.filter = Some(match brief.filter.take() {
                Some(others) => others.and(&condition),
                None => condition,
            });
            Ok(())
        },
    )
    .in_place_of(|brief| brief.filter = None)
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
        |given, brief| {
            brief.rows = names(given.text);
            Ok(())
        },
    ),
    once("columns", "A,B", "Dimensions on the columns, outermost first", |given, brief| {
        brief.columns = names(given.text);
        Ok(())
    }),
    again(
        "measure",
        "NAME = FORMULA",
        "A measure: 'sales = sum(amount)', 'share = sales / sales at parent'; or @FILE with one on each line",
        |given, brief| {
            brief.measures.push(measure(given.text));
            Ok(())
        },
    )
    .in_place_of(|brief| brief.measures.clear()),
    again(
        "hidden-measure",
        "NAME = FORMULA",
        "A measure that others use and that is not shown",
        |given, brief| {
            brief.measures.push(measure(given.text).hidden(true));
            Ok(())
        },
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
            let known: Vec<String> = brief.measures.iter().map(|measure| measure.name.clone()).collect();
            let measure = brief.measures.iter_mut().find(|measure| measure.name == name);
            let measure = measure.ok_or_else(|| {
                Error::unknown("--format", "measure", &name, known.iter().map(String::as_str))
            })?;
            measure.format = format;
            Ok(())
        },
    ),
    again(
        "derive",
        "NAME = FORMULA",
        "A column computed line by line: 'takings = price * quantity'",
        |given, brief| {
            let pair = given.text.split_once('=').filter(|(name, _)| !name.trim().is_empty());
            let (name, formula) = pair.ok_or_else(|| given.unlike("'takings = price * quantity'"))?;
            brief.derived.push((unquoted(name), formula.trim().into()));
            Ok(())
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
            brief.items.push(ItemBrief::new(dimension, name, formula));
            Ok(())
        },
    ),
    again(
        "tier",
        "NAME of DIMENSION by WHAT at CUTS [as LABELS]",
        "Classes of members: 'size of yard by sum(amount) at 10000, 50000 as small, middle, large'; at \
               25%, 50% for shares of the members",
        |given, brief| {
            brief.tiers.push(tier(&given)?);
            Ok(())
        },
    ),
    again(
        "related",
        "FILE on KEY",
        "Bring in columns of another file by key: 'articles.csv on article', 'yards.csv on yard = code'",
        |given, brief| {
            brief.related.push(related(&given)?);
            Ok(())
        },
    ),
    again(
        "top",
        "DIMENSION N by WHAT [overall] [others NAME]",
        "Keep the highest members of a level: 'harbour 5 by sales', 'yard 20% by sales overall others \
               \"All other yards\"'",
        |given, brief| {
            let (dimension, kept) = top(&given)?;
            let dimension = brief.dimension(&dimension);
            (dimension.top, dimension.bottom) = (Some(kept), None);
            Ok(())
        },
    ),
    again(
        "bottom",
        "DIMENSION N by WHAT [overall] [others NAME]",
        "Keep the lowest members of a level, written as for --top",
        |given, brief| {
            let (dimension, kept) = top(&given)?;
            let dimension = brief.dimension(&dimension);
            (dimension.top, dimension.bottom) = (None, Some(kept));
            Ok(())
        },
    ),
    again(
        "having",
        "DIMENSION: CONDITION",
        "Show members only whose cells meet a condition: 'harbour: sales > 10000'",
        |given, brief| {
            let (dimension, condition) = of_dimension(&given, "'harbour: sales > 10000'")?;
            brief.dimension(&dimension).having = Some(condition.into());
            Ok(())
        },
    ),
    again(
        "only",
        "DIMENSION: MEMBERS",
        "Show these members only: 'coast: Fell Coast, Skerry Coast'",
        |given, brief| {
            let (dimension, members) = given.members()?;
            brief.dimension(&dimension).only = members;
            Ok(())
        },
    ),
    again("except", "DIMENSION: MEMBERS", "Do not show these members: 'channel: staff'", |given, brief| {
        let (dimension, members) = given.members()?;
        brief.dimension(&dimension).except = members;
        Ok(())
    }),
    once("totals-of", "WHAT", "What totals cover if some members are not shown", |given, brief| {
        let cover = given.parsed()?;
        brief.dimensions.iter_mut().for_each(|dimension| dimension.totals_of = cover);
        Ok(())
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
            brief.dimension(&unquoted(dimension)).order = Some(order.trim().into());
            Ok(())
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
        |given, brief| set_emphasis(brief, given.text).map_err(|e| e.within("--emphasis")),
    ),
    again(
        "drop",
        "EMPHASIS",
        "Let something stand out no more, by its name or its measure: margin",
        |given, brief| drop_emphasis(brief, &unquoted(given.text)).map_err(|e| e.within("--drop")),
    ),
    again(
        "rule",
        "EMPHASIS: KEY = VALUE, …",
        "Add a rule that goes before all others, or change the one of its name: \"margin: name = 'thin', below = '20%', show = 'loss'\"",
        |given, brief| {
            let (emphasis, keys) = of_dimension(&given, "\"margin: below = '20%', show = 'loss'\"")?;
            set_rule(brief, &emphasis, &keys).map_err(|e| e.within("--rule"))
        },
    ),
    once(
        "levels",
        "A,B",
        "Let these levels stand out only: harbour,sold_on.year; also 'row total', 'column total'",
        |given, brief| {
            given.each_emphasis(brief, |emphasis| {
                emphasis.levels = names(given.text).into_iter().map(Into::into).collect();
            })
        },
    ),
    once(
        "peers",
        "GROUP",
        "The cells that are scaled together: level, siblings, 'column siblings', row, column, branch, all",
        |given, brief| {
            let peers = given.parsed()?;
            given.each_emphasis(brief, |emphasis| emphasis.peers = peers)
        },
    ),
    once("good", "SIDE", "Which direction is good: colours follow", |given, brief| {
        let side = given.parsed()?;
        given.each_emphasis(brief, |emphasis| emphasis.good = Some(side))
    })
    .one_of(&[("high", ""), ("low", "")]),
    once(
        "yardsticks",
        "FILE",
        "Stand on the yardsticks that an earlier run kept in this file",
        |given, brief| {
            given.each_emphasis(brief, |emphasis| emphasis.yardstick = YardstickOf::Kept(given.text.into()))
        },
    ),
    again(
        "totals",
        "PLACES",
        "Where totals stand: before, after or off, for all or by level: 'coast off, row total before'",
        |given, brief| {
            for text in names(given.text) {
                let (of, place) = text.rsplit_once(char::is_whitespace).unwrap_or(("", &text));
                let place = Given { text: place.trim(), ..given }.parsed()?;
                brief.totals.push((unquoted(of), place));
            }
            Ok(())
        },
    ),
    again(
        "fill",
        "DIMENSION,…",
        "Give every member its cell, whether lines have it or not: sold_on.month,harbour",
        |given, brief| {
            brief.fill.extend(names(given.text).into_iter().map(Into::into));
            Ok(())
        },
    ),
    again(
        "control",
        "NAME",
        "Let readers of a page choose: the value of an assumption, or members of a dimension",
        |given, brief| {
            brief.page.controls.push(unquoted(given.text).into());
            Ok(())
        },
    ),
    once("script", "YES | NO", "Whether pages hold a script", |given, brief| {
        brief.page.script = given.text == "yes";
        Ok(())
    })
    .one_of(&[
        ("yes", "Levels fold, columns sort, members are found"),
        ("no", "A page that can be mailed: it shows the same, and nothing moves"),
    ]),
    once("title", "TITLE", "The heading", |given, brief| {
        brief.title = Some(given.text.into());
        Ok(())
    }),
];

impl BriefFlag {
    /// The same, of which only these words are values.
    const fn one_of(self, words: &'static [(&'static str, &'static str)]) -> BriefFlag {
        BriefFlag { words, ..self }
    }

    /// The same, to which something of the brief gives way.
    const fn in_place_of(self, replaces: fn(&mut Brief)) -> BriefFlag {
        BriefFlag { replaces, ..self }
    }

    /// What each entry of a file does. An entry is a line with the indented lines after it; lines that begin with # are
    /// comments.
    fn set_from_file(&self, file: &str, brief: &mut Brief) -> Result<()> {
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
        for (number, text) in &entries {
            (self.sets)(Given { flag: self.name, text }, brief)
                .map_err(|e| e.within(format_args!("{file} line {number}")))?;
        }
        Ok(())
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

    /// Changes a brief by what was given.
    pub(crate) fn apply(&self, brief: &mut Brief) -> Result<()> {
        self.0.iter().for_each(|(flag, _)| (flag.replaces)(brief));
        for (flag, values) in &self.0 {
            for text in values {
                match text.strip_prefix('@').filter(|_| flag.value.ends_with(FORMULA)) {
                    Some(file) => flag.set_from_file(file, brief)?,
                    None => (flag.sets)(Given { flag: flag.name, text }, brief)?,
                }
            }
        }
        Ok(())
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
