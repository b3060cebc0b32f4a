//! Several views of one set of lines: each a brief of its own, made from the one that holds it.

use crate::brief::{Brief, MeasureBrief, PanelScale, Part, PeersOf, ViewBrief, ViewForm};
use crate::error::{Error, Result};
use crate::formula::{Expr, Formula};

impl Brief {
    /// The brief of a view: this one with the view's layout, condition and measures.
    ///
    /// # Errors
    /// A view that does not say what its form needs, or says what is not there.
    pub fn of_view(&self, place: usize) -> Result<Brief> {
        let view = &self.views[place];
        let name = format!("view {} ({})", place + 1, view.form.name());
        let mut own = Brief {
            views: Vec::new(),
            to: Vec::new(),
            title: view.title.clone(),
            rows: view.rows.clone().unwrap_or_else(|| self.rows.clone()),
            columns: view.columns.clone().unwrap_or_default(),
            ..self.clone()
        };
        if view.columns.is_none() && view.form == ViewForm::Table {
            own.columns = self.columns.clone();
        }
        if let Some(condition) = &view.filter {
            own.filter =
                Some(self.filter.as_ref().map_or_else(|| condition.clone(), |all| all.and(condition)));
        }
        own.arrange_as(&name, view)?;
        own.measures = self.measures_of(&name, view)?;
        own.keep_what_is_shown(view);
        let needed = needed_measures(&own);
        own.measures.retain(|measure| needed.contains(&measure.name));
        Ok(own)
    }

    /// The layout that the form of a view takes.
    fn arrange_as(&mut self, name: &str, view: &ViewBrief) -> Result<()> {
        let wrong = |message: &str| Err(Error::request(name, message));
        match view.form {
            ViewForm::Line => {
                let Some(along) = &view.along else {
                    return wrong("a line goes along periods: say along = \"sold_on.month\"");
                };
                self.columns = vec![along.clone()];
            }
            ViewForm::Strip if self.rows.len() < 2 => {
                return wrong("a strip shows members within groups: say rows = [\"coast\", \"harbour\"]");
            }
            ViewForm::Tiles if view.grid.is_empty() => {
                return wrong("tiles stand on a grid: say grid = { \"Fell Coast\" = [1, 1] }");
            }
            _ if self.rows.is_empty() && view.form != ViewForm::Table => {
                return wrong("it shows members: say rows = [\"coast\"]");
            }
            _ => {}
        }
        if let Some(per) = &view.per {
            self.rows.retain(|row| row != per);
            self.columns.retain(|column| column != per);
            self.rows.insert(0, per.clone());
        }
        Ok(())
    }

    /// Takes out keys of dimensions and measures that are not shown here: they are meant for other views.
    fn keep_what_is_shown(&mut self, view: &ViewBrief) {
        let layout = [self.rows.as_slice(), &self.columns].concat();
        self.items.retain(|item| layout.contains(&item.dimension));
        self.fill.iter_mut().for_each(|fill| fill.of.retain(|name| layout.contains(name)));
        self.fill.retain(|fill| !fill.of.is_empty());
        let shown = self.dimensions.iter().filter(|dimension| layout.contains(&dimension.name));
        let families: Vec<String> = shown.filter_map(|dimension| dimension.colours_of.clone()).collect();
        self.dimensions
            .retain(|dimension| layout.contains(&dimension.name) || families.contains(&dimension.name));
        let (rows, columns) = (&self.rows, &self.columns);
        self.totals.retain(|(total, _)| {
            let of_axis = ["", "rows", "columns", "row total", "column total"].contains(&total.as_str());
            let has_members = |axis: &[String]| {
                axis.iter().position(|name| name == total).is_some_and(|place| place + 1 < axis.len())
            };
            of_axis || has_members(rows) || has_members(columns)
        });
        for measure in &mut self.measures {
            measure.levels.retain(|(level, _)| level.is_in(&layout));
        }
        let measures = &self.measures;
        let measured = |on: &String| measures.iter().any(|measure| measure.name == *on && !measure.hidden);
        self.emphasis.retain_mut(|emphasis| {
            let all_levels = emphasis.levels.is_empty();
            emphasis.levels.retain(|level| level.is_in(&layout));
            if emphasis.peers == PeersOf::Level && view.scale == PanelScale::Own {
                emphasis.peers = PeersOf::Branch;
            }
            let is_on = measured(&emphasis.on) || layout.contains(&emphasis.on);
            is_on && (all_levels || !emphasis.levels.is_empty())
        });
    }

    /// The measures of a view: those that it shows in the order that it says, the others hidden.
    fn measures_of(&self, name: &str, view: &ViewBrief) -> Result<Vec<MeasureBrief>> {
        let (least, most) = view.form.measures();
        let known = || self.measures.iter().map(|measure| measure.name.as_str());
        let usual = self.measures.iter().filter(|measure| !measure.hidden).take(most);
        let wanted: Vec<&str> = match view.measures.is_empty() {
            true => usual.map(|measure| measure.name.as_str()).collect(),
            false => view.measures.iter().map(String::as_str).collect(),
        };
        if let Some(unknown) = wanted.iter().find(|wanted| !known().any(|known| known == **wanted)) {
            return Err(Error::unknown(name, "measure", unknown, known()));
        }
        if self.measures.is_empty() {
            return Ok(Vec::new());
        }
        if wanted.len() < least || wanted.len() > most {
            let count = if least == most { least.to_string() } else { format!("{least} to {most}") };
            let message =
                format!("it shows {count} of the measures, not {}; say measures = […]", wanted.len());
            return Err(Error::request(name, message));
        }
        let shown = |measure: &&MeasureBrief| wanted.contains(&measure.name.as_str());
        let in_order = wanted.iter().filter_map(|wanted| self.measures.iter().find(|m| m.name == *wanted));
        let mut all: Vec<MeasureBrief> =
            in_order.map(|measure| MeasureBrief { hidden: false, ..measure.clone() }).collect();
        let rest = self.measures.iter().filter(|measure| !shown(measure));
        all.extend(rest.map(|measure| MeasureBrief { hidden: true, ..measure.clone() }));
        Ok(all)
    }
}

/// The measures of a brief that are shown or that something else in it reads.
fn needed_measures(brief: &Brief) -> Vec<String> {
    let mut unread: Vec<Formula> = Vec::new();
    let mut read = |part: Part<'_>| match part {
        Part::Formula(formula) => unread.push(formula.clone()),
        Part::Order(order) => unread.extend(order.formula().cloned()),
        Part::Name(_) | Part::Level(_) | Part::Text(_) | Part::Amount(_) => {}
    };
    let shown = || brief.measures.iter().filter(|measure| !measure.hidden);
    Brief { measures: shown().cloned().collect(), ..brief.clone() }.each_part(&mut read);
    let mut needed: Vec<String> = shown().map(|measure| measure.name.clone()).collect();
    while let Some(formula) = unread.pop() {
        for name in formula.expr().map(Expr::names).unwrap_or_default() {
            let known = brief.measures.iter().find(|measure| measure.name == name);
            let Some(measure) = known.filter(|measure| !needed.contains(&measure.name)) else { continue };
            needed.push(measure.name.clone());
            let at_levels = measure.levels.iter().filter_map(|(_, formula)| formula.as_ref());
            unread.extend(at_levels.chain([&measure.formula]).cloned());
        }
    }
    needed
}
