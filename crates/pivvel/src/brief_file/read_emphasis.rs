//! The parts of a brief that say what stands out and what is drawn beside the cross-tab.

use pivvel_core::{
    EmphasisBrief, Error, Form, PeersOf, Result, RuleBrief, Side, Unit, ViewBrief, ViewForm, YardstickOf,
};
use pivvel_view::{palette_names, symbol_names, tone_names};
use toml_edit::{Item, TableLike};

use super::keys;
use super::read::{At, Listed, Reader};

impl Reader<'_> {
    pub(super) fn emphasis(&self, at: &At<'_>) -> Result<Vec<EmphasisBrief>> {
        let tables = self.tables(at, "[[emphasis]] tables")?;
        tables.into_iter().enumerate().map(|(i, listed)| self.one_emphasis(i, listed)).collect()
    }

    fn one_emphasis(&self, i: usize, (table, span): Listed<'_>) -> Result<EmphasisBrief> {
        let path = format!("emphasis {}", i + 1);
        let mut said = EmphasisBrief::default();
        let entries = self.entries(table, &path, Some(&keys::EMPHASIS))?;
        // What a rule may show depends on the form, so the form is read first.
        if let Some((_, at)) = entries.iter().find(|(key, _)| key == "as") {
            said.form = self.of_names(at, "form", &Form::NAMES)?;
        }
        for (key, at) in &entries {
            match key.as_str() {
                "on" => said.on = self.text(at)?,
                "as" => {}
                "by" => said.by = Some(self.text(at)?),
                "where" => said.only = Some(self.text(at)?),
                "levels" => said.levels = self.some_texts(at)?,
                "reach" => said.whole_row = self.choice(at, "choice", &keys::REACH, &[false, true])?,
                "peers" => said.peers = self.of_names(at, "group of peers", &PeersOf::NAMES)?,
                "yardstick" => {
                    said.yardstick = match self.text(at)?.as_str() {
                        "shown" => YardstickOf::Shown,
                        "all" => YardstickOf::All,
                        file => YardstickOf::Kept(file.to_string()),
                    }
                }
                "scale" => said.by_rank = self.choice(at, "scale", &keys::SCALE, &[false, true])?,
                "about" => said.about = Some(self.number_or_text(at)?),
                "clip" => said.clip = Some(self.clip(at)?),
                "low" => said.low = Some(self.number_or_text(at)?),
                "high" => said.high = Some(self.number_or_text(at)?),
                "steps" => said.steps = Some(self.steps(at)?),
                "rules" => said.rules = self.rules(at, &path, said.form)?,
                "good" => {
                    said.good = Some(self.choice(at, "direction", &keys::SIDES, &[Side::High, Side::Low])?)
                }
                "palette" => said.palette = Some(self.known(at, "palette", palette_names())?),
                "symbols" => said.symbols = Some(self.known(at, "set of symbols", symbol_names())?),
                "figure" => said.hide_figure = self.choice(at, "choice", &keys::FIGURE, &[false, true])?,
                "along" => said.along = Some(self.text(at)?),
                _ => said.link = Some(self.text(at)?),
            }
        }
        if said.on.is_empty() {
            let message = format!("{path} says on which measure it is: on = \"sales\"");
            return Err(Error::request(self.line(span), message));
        }
        Ok(said)
    }

    /// A value by its name.
    fn of_names<T: Copy>(&self, at: &At<'_>, what: &str, names: &[(&'static str, T)]) -> Result<T> {
        let (names, values): (Vec<&str>, Vec<T>) = names.iter().copied().unzip();
        self.choice(at, what, &names, &values)
    }

    /// A text that is one of those that are known.
    fn known(&self, at: &At<'_>, what: &str, names: impl Iterator<Item = &'static str>) -> Result<String> {
        let names: Vec<&str> = names.collect();
        self.choice(at, what, &names, &names).map(str::to_string)
    }

    fn clip(&self, at: &At<'_>) -> Result<(String, String)> {
        match self.texts(at)?.as_slice() {
            [low, high] => Ok((low.clone(), high.clone())),
            _ => Err(self.wrong(at, "two shares of the peers, as in [\"5%\", \"95%\"]")),
        }
    }

    fn steps(&self, at: &At<'_>) -> Result<u8> {
        let steps = at.item.as_integer().and_then(|steps| u8::try_from(steps).ok());
        steps.ok_or_else(|| self.wrong(at, "a whole number of steps"))
    }

    /// Rules as a list of tables, written either way.
    fn rules(&self, at: &At<'_>, path: &str, form: Form) -> Result<Vec<RuleBrief>> {
        let wanted = "a list of rules, as in [{ below = 0, name = \"loss\" }]";
        let one =
            |(i, (table, _)): (usize, Listed<'_>)| self.rule(&format!("{path}, rule {}", i + 1), table, form);
        let rules = self.not_empty(at, self.tables(at, wanted)?)?;
        rules.into_iter().enumerate().map(one).collect()
    }

    fn rule(&self, path: &str, table: &dyn TableLike, form: Form) -> Result<RuleBrief> {
        let mut rule = RuleBrief::default();
        for (key, at) in self.entries(table, path, Some(&keys::RULE))? {
            match key.as_str() {
                "name" => rule.name = Some(self.text(&at)?),
                "show" if form == Form::Symbol => {
                    let steps = ["1", "2", "3", "4", "5"];
                    let step = self.number_or_text(&at)?;
                    let known = steps.contains(&step.as_str()).then_some(step);
                    rule.show =
                        Some(known.ok_or_else(|| self.wrong(&at, "the number of a symbol from 1 to 5"))?);
                }
                "show" => rule.show = Some(self.known(&at, "tone", tone_names())?),
                "from" => rule.from = Some(self.number_or_text(&at)?),
                "below" => rule.below = Some(self.number_or_text(&at)?),
                "is" => rule.is = Some(self.number_or_text(&at)?),
                "top" => rule.top = Some(self.number_or_text(&at)?),
                "bottom" => rule.bottom = Some(self.number_or_text(&at)?),
                "mean" => {
                    rule.mean = Some(self.choice(&at, "side", &keys::MEANS, &[Side::High, Side::Low])?)
                }
                "blank" => rule.blank = self.flag(&at)?,
                "when" => rule.when = Some(self.text(&at)?),
                _ => {
                    let units = [Unit::Position, Unit::Share];
                    rule.unit = self.choice(&at, "unit", &keys::UNITS_OF_PERCENT, &units)?;
                }
            }
        }
        Ok(rule)
    }

    pub(super) fn views(&self, at: &At<'_>) -> Result<Vec<ViewBrief>> {
        let one = |(i, (table, _)): (usize, Listed<'_>)| {
            let mut view = ViewBrief::default();
            for (key, at) in self.entries(table, &format!("view {}", i + 1), Some(&keys::VIEW))? {
                match key.as_str() {
                    "title" => view.title = Some(self.text(&at)?),
                    "as" => view.form = self.of_names(&at, "form of a view", &ViewForm::NAMES)?,
                    "rows" => view.rows = Some(self.texts(&at)?),
                    "columns" => view.columns = Some(self.texts(&at)?),
                    "where" => view.filter = Some(self.text(&at)?),
                    "measures" => view.measures = self.some_texts(&at)?,
                    "per" => view.per = Some(self.text(&at)?),
                    "scale" => {
                        view.own_scales = self.choice(&at, "choice", &keys::SCALES_OF, &[false, true])?
                    }
                    "along" => view.along = Some(self.text(&at)?),
                    _ => view.grid = self.grid(&at)?,
                }
            }
            Ok(view)
        };
        self.tables(at, "[[views]] tables")?.into_iter().enumerate().map(one).collect()
    }

    /// Places on a grid: column and row by member.
    fn grid(&self, at: &At<'_>) -> Result<Vec<(String, (u32, u32))>> {
        let wanted = "a column and a row from 1, as in [2, 1]";
        let mut grid: Vec<(String, (u32, u32))> = Vec::new();
        for (member, at) in self.named(at, "a table of places by member")? {
            let list: Option<Vec<u32>> = at
                .item
                .as_array()
                .and_then(|list| list.iter().map(|n| u32::try_from(n.as_integer()?).ok()).collect());
            let place = match list.as_deref() {
                Some([column @ 1..=100, row @ 1..=100]) => (*column, *row),
                _ => return Err(self.wrong(&at, wanted)),
            };
            if let Some((other, _)) = grid.iter().find(|(_, taken)| *taken == place) {
                let message = format!("{} stands where {other} does", at.path);
                return Err(Error::request(self.line(Item::span(at.item)), message));
            }
            grid.push((member, place));
        }
        Ok(grid)
    }
}
