//! What arguments change in a brief.

use std::path::Path;

use pivvel::{
    Amount, BadValues, Brief, EmphasisBrief, Error, Form, ItemBrief, MeasureBrief, Placement, RelatedBrief,
    Result, Side, TierBrief, TopBrief, TotalsOf, YardstickOf,
};

use crate::arguments::{Bad, Build, Cover, Good, Reading};

impl Reading {
    pub(crate) fn apply(&self, brief: &mut Brief) -> Result<()> {
        for text in &self.kinds {
            let Some((column, kind)) = text.rsplit_once('=') else {
                return Err(Error::request(
                    "--as",
                    format!("{text} is not COLUMN=KIND, as in 'amount=decimal(2)'"),
                ));
            };
            brief.kinds.push((unquoted(column), kind.trim().to_string()));
        }
        match self.bad_values {
            Some(Bad::Blank) => brief.bad_values = BadValues::Blank,
            Some(Bad::Stop) => brief.bad_values = BadValues::Stop,
            None => {}
        }
        Ok(())
    }
}

impl Build {
    /// Changes a brief by what was asked for.
    pub(crate) fn apply(&self, brief: &mut Brief) -> Result<()> {
        if let Some(rows) = &self.rows {
            brief.rows = names(rows);
        }
        if let Some(columns) = &self.columns {
            brief.columns = names(columns);
        }
        if !self.measure.is_empty() {
            brief.measures = self.measure.iter().map(|text| measure(text)).collect();
        }
        let hidden = self.hidden_measure.iter().map(|text| MeasureBrief { hidden: true, ..measure(text) });
        brief.measures.extend(hidden);
        self.compute(brief)?;
        brief.filter = self.filter.as_deref().map(Into::into).or(brief.filter.take());
        brief.title = self.title.clone().or(brief.title.take());
        self.describe_dimensions(brief)?;
        assume(&self.assume, brief)?;
        for text in self.totals.iter().flat_map(|text| names(text)) {
            let (of, place) = text.rsplit_once(char::is_whitespace).unwrap_or(("", &text));
            let placement =
                place.trim().parse::<Placement>().map_err(|e| Error::request("--totals", e.to_string()))?;
            brief.totals.push((unquoted(of), placement));
        }
        self.emphasize(brief)?;
        self.reading.apply(brief)
    }

    /// What is computed beside measures.
    fn compute(&self, brief: &mut Brief) -> Result<()> {
        for text in &self.derive {
            let pair = text.split_once('=').filter(|(name, _)| !name.trim().is_empty());
            let (name, formula) =
                pair.ok_or_else(|| unlike("--derive", text, "'takings = price * quantity'"))?;
            brief.derived.push((unquoted(name), formula.trim().into()));
        }
        for text in &self.item {
            let (dimension, rest) = of_dimension("--item", text, "'scenario: variance = actual - plan'")?;
            let pair = rest.split_once('=');
            let (name, formula) =
                pair.ok_or_else(|| unlike("--item", text, "'scenario: variance = actual - plan'"))?;
            let item = ItemBrief {
                dimension,
                name: unquoted(name),
                formula: formula.trim().into(),
                ..ItemBrief::default()
            };
            brief.items.push(item);
        }
        for text in &self.tier {
            brief.tiers.push(tier(text)?);
        }
        for text in &self.related {
            brief.related.push(related(text)?);
        }
        Ok(())
    }

    /// What is said of single dimensions.
    fn describe_dimensions(&self, brief: &mut Brief) -> Result<()> {
        for text in &self.sort {
            let Some((dimension, order)) = text.split_once(" by ") else {
                let message = format!("{text} is not DIMENSION by WHAT, as in 'harbour by sales desc'");
                return Err(Error::request("--sort", message));
            };
            brief.dimension(&unquoted(dimension)).order = Some(order.trim().into());
        }
        for (all, lowest) in [(&self.top, false), (&self.bottom, true)] {
            for text in all {
                let (dimension, kept) = top(text, lowest)?;
                let dimension = brief.dimension(&dimension);
                (dimension.top, dimension.bottom) =
                    if lowest { (None, Some(kept)) } else { (Some(kept), None) };
            }
        }
        for text in &self.having {
            let (dimension, condition) = of_dimension("--having", text, "'harbour: sales > 10000'")?;
            brief.dimension(&dimension).having = Some(condition.into());
        }
        for (flag, all) in [("--only", &self.only), ("--except", &self.except)] {
            for text in all {
                let (dimension, members) = of_dimension(flag, text, "'coast: Fell Coast, Skerry Coast'")?;
                let said = brief.dimension(&dimension);
                let list = if flag == "--only" { &mut said.only } else { &mut said.except };
                *list = names(&members);
                if list.is_empty() {
                    let message = format!("{text} names no member; the blank one is called blank");
                    return Err(Error::request(flag, message));
                }
            }
        }
        if let Some(cover) = self.totals_of {
            let cover = if cover == Cover::Shown { TotalsOf::Shown } else { TotalsOf::All };
            brief.dimensions.iter_mut().for_each(|dimension| dimension.totals_of = cover);
        }
        Ok(())
    }

    /// What stands out. What is typed takes the place of what the brief says.
    fn emphasize(&self, brief: &mut Brief) -> Result<()> {
        let forms = [
            ("--tint", Form::Tint, &self.tint),
            ("--ink", Form::Ink, &self.ink),
            ("--bar", Form::Bar, &self.bar),
            ("--symbol", Form::Symbol, &self.symbol),
        ];
        let typed: Vec<(&str, Form, &String)> =
            forms.iter().flat_map(|(flag, form, all)| all.iter().map(move |on| (*flag, *form, on))).collect();
        let known = || brief.measures.iter().map(|measure| measure.name.as_str());
        for (flag, _, on) in &typed {
            // A brief keeps what it says of a measure that is gone; what is typed is meant now.
            let meant =
                known().any(|name| name == on.as_str()) || brief.measures.is_empty() && *on == "lines";
            if !meant {
                return Err(Error::unknown(*flag, "measure", on, known()));
            }
        }
        if !typed.is_empty() {
            brief.emphasis =
                typed.iter().map(|(_, form, on)| EmphasisBrief::new(on.as_str(), *form)).collect();
        }
        let asked = [
            ("--levels", self.levels.is_some()),
            ("--peers", self.peers.is_some()),
            ("--good", self.good.is_some()),
        ];
        if let (Some((flag, _)), true) = (asked.iter().find(|(_, asked)| *asked), brief.emphasis.is_empty()) {
            return Err(Error::request(
                *flag,
                "nothing stands out: say --tint, --ink, --bar or --symbol with it",
            ));
        }
        for emphasis in &mut brief.emphasis {
            if let Some(levels) = &self.levels {
                emphasis.levels = names(levels).into_iter().map(Into::into).collect();
            }
            if let Some(peers) = &self.peers {
                emphasis.peers =
                    peers.parse().map_err(|e: Error| Error::request("--peers", e.to_string()))?;
            }
            if let Some(good) = self.good {
                emphasis.good = Some(if good == Good::High { Side::High } else { Side::Low });
            }
            if let Some(file) = &self.yardsticks {
                emphasis.yardstick = YardstickOf::Kept(file.display().to_string());
            }
        }
        Ok(())
    }
}

/// What is said of a dimension, as `harbour: sales > 10000`.
fn of_dimension(flag: &str, text: &str, like: &str) -> Result<(String, String)> {
    let (dimension, rest) = text.split_once(':').ok_or_else(|| unlike(flag, text, like))?;
    Ok((unquoted(dimension), rest.trim().to_string()))
}

fn unlike(flag: &str, text: &str, like: &str) -> Error {
    Error::request(flag, format!("{text} is not written like {like}"))
}

/// `size of yard by sum(amount) at 10000, 50000 as small, middle, large`.
fn tier(text: &str) -> Result<TierBrief> {
    let wrong =
        || unlike("--tier", text, "'size of yard by sum(amount) at 10000, 50000 as small, middle, large'");
    let (name, rest) = text.split_once(" of ").ok_or_else(wrong)?;
    let (of, rest) = rest.split_once(" by ").ok_or_else(wrong)?;
    let (by, rest) = rest.rsplit_once(" at ").ok_or_else(wrong)?;
    let (cuts, labels) = rest.split_once(" as ").unwrap_or((rest, ""));
    let amounts: Vec<Amount> = names(cuts).iter().map(|cut| cut.as_str().into()).collect();
    let are_shares = names(cuts).iter().all(|cut| cut.ends_with('%'));
    let (cuts, quantiles) = if are_shares { (Vec::new(), amounts) } else { (amounts, Vec::new()) };
    Ok(TierBrief {
        name: unquoted(name),
        of: unquoted(of),
        by: by.trim().into(),
        cuts,
        quantiles,
        labels: names(labels),
        within: Vec::new(),
    })
}

/// `articles.csv on article`, `yards.csv on yard = code, coast`.
fn related(text: &str) -> Result<RelatedBrief> {
    let wrong = || unlike("--related", text, "'yards.csv on yard = code'");
    let (source, keys) = text.rsplit_once(" on ").ok_or_else(wrong)?;
    let key = |key: String| match key.split_once('=') {
        Some((own, theirs)) => (unquoted(own), unquoted(theirs)),
        None => (key.clone(), key),
    };
    let source = source.trim().to_string();
    let stem =
        Path::new(&source).file_stem().map_or(source.clone(), |stem| stem.to_string_lossy().into_owned());
    Ok(RelatedBrief { name: stem, source, keys: names(keys).into_iter().map(key).collect() })
}

/// `harbour 5 by sales overall others 'All other harbours'`.
fn top(text: &str, lowest: bool) -> Result<(String, TopBrief)> {
    let flag = if lowest { "--bottom" } else { "--top" };
    let wrong = || unlike(flag, text, "'harbour 5 by sales'");
    let (head, rest) = text.split_once(" by ").ok_or_else(wrong)?;
    let (dimension, count) = head.trim().rsplit_once(char::is_whitespace).ok_or_else(wrong)?;
    let (rest, others) = match rest.rsplit_once(" others ") {
        Some((rest, others)) => (rest, Some(unquoted(others.trim().trim_matches('\'')))),
        None => (rest, None),
    };
    let (by, overall) = rest.trim().strip_suffix(" overall").map_or((rest, false), |by| (by, true));
    let top = TopBrief { count: count.into(), by: by.trim().into(), overall, others };
    Ok((unquoted(dimension), top))
}

/// A measure from `name = formula`, or from a formula that is its own name.
fn measure(text: &str) -> MeasureBrief {
    match text.split_once('=') {
        Some((name, formula)) if !name.contains(['(', '\'']) => {
            MeasureBrief::new(unquoted(name), formula.trim())
        }
        _ => MeasureBrief::new(text.trim(), text.trim()),
    }
}

/// Sets assumptions to other values.
pub(crate) fn assume(all: &[String], brief: &mut Brief) -> Result<()> {
    for text in all {
        let pair = text.split_once('=');
        let (name, value) = pair.ok_or_else(|| unlike("--assume", text, "uplift=4%"))?;
        brief.assume(name.trim(), value.trim().into())?;
    }
    Ok(())
}

/// Names between commas. Quotes of either kind keep a comma in one; a single one within a name is a letter of it.
pub(crate) fn names(list: &str) -> Vec<String> {
    let mut names: Vec<String> = Vec::new();
    let (mut name, mut open) = (String::new(), None);
    let mut chars = list.chars().peekable();
    while let Some(c) = chars.next() {
        match (c, open) {
            (c, Some(mark)) if c == mark && chars.peek() == Some(&mark) => {
                chars.next();
                name.push(c);
            }
            (c, Some(mark)) if c == mark => open = None,
            (c, Some(_)) => name.push(c),
            ('"', None) => open = Some('"'),
            ('\'', None) if name.trim().is_empty() => open = Some('\''),
            (',', None) => names.push(std::mem::take(&mut name)),
            (c, None) => name.push(c),
        }
    }
    names.push(name);
    names.into_iter().map(|name| name.trim().to_string()).filter(|name| !name.is_empty()).collect()
}

fn unquoted(name: &str) -> String {
    let name = name.trim();
    name.strip_prefix('"').and_then(|n| n.strip_suffix('"')).unwrap_or(name).replace("\"\"", "\"")
}
