//! Everything that a brief names, says or computes, one part after the other. Whoever asks what a brief mentions,
//! or replaces something in all of it, goes this way; a key that is added has to be named here.

use super::{
    Amount, AssumptionBrief, Brief, DimensionBrief, EmphasisBrief, ItemBrief, Level, MeasureBrief, Order,
    OrderBy, RelatedBrief, RuleBrief, TierBrief, TopBrief, ViewBrief,
};
use crate::formula::Formula;

/// A part of a brief.
pub(crate) enum Part<'a> {
    /// The name of a measure, a dimension, a level or a member.
    Name(&'a mut String),
    /// The name of a level.
    Level(&'a mut Level),
    /// A text that readers see, with assumptions in braces.
    Text(&'a mut String),
    /// A formula.
    Formula(&'a mut Formula),
    /// A number, or the name of an assumption.
    Amount(&'a mut Amount),
}

use Part::{Formula as Calculation, Name, Text};

type Visit<'v> = dyn FnMut(Part<'_>) + 'v;

fn names<'a>(all: impl IntoIterator<Item = &'a mut String>, visit: &mut Visit<'_>) {
    all.into_iter().for_each(|name| visit(Name(name)));
}

fn texts<'a>(all: impl IntoIterator<Item = &'a mut String>, visit: &mut Visit<'_>) {
    all.into_iter().for_each(|text| visit(Text(text)));
}

fn formulas<'a>(all: impl IntoIterator<Item = &'a mut Formula>, visit: &mut Visit<'_>) {
    all.into_iter().for_each(|formula| visit(Calculation(formula)));
}

fn amounts<'a>(all: impl IntoIterator<Item = &'a mut Amount>, visit: &mut Visit<'_>) {
    all.into_iter().for_each(|amount| visit(Part::Amount(amount)));
}

impl Brief {
    /// Gives every part to `visit`: what files are called and how columns are read is none.
    pub(crate) fn each_part(&mut self, visit: &mut Visit<'_>) {
        let Brief {
            title,
            source: _,
            rows,
            columns,
            filter,
            derived,
            related,
            assumptions,
            tiers,
            items,
            measures,
            kinds: _,
            dimensions,
            totals,
            emphasis,
            views,
            bad_values: _,
            to: _,
        } = self;
        texts(title, visit);
        names(rows.iter_mut().chain(columns), visit);
        formulas(filter, visit);
        // What a column that is computed is called is no name of something else.
        formulas(derived.iter_mut().map(|(_, formula)| formula), visit);
        for RelatedBrief { name: _, source: _, keys: _ } in related {}
        for AssumptionBrief { name: _, value: _, low: _, high: _, choices: _ } in assumptions {}
        tiers.iter_mut().for_each(|tier| tier.each_part(visit));
        items.iter_mut().for_each(|item| item.each_part(visit));
        measures.iter_mut().for_each(|measure| measure.each_part(visit));
        dimensions.iter_mut().for_each(|dimension| dimension.each_part(visit));
        names(totals.iter_mut().map(|(level, _)| level), visit);
        emphasis.iter_mut().for_each(|emphasis| emphasis.each_part(visit));
        views.iter_mut().for_each(|view| view.each_part(visit));
    }
}

impl MeasureBrief {
    /// As [`Brief::each_part`].
    pub(crate) fn each_part(&mut self, visit: &mut Visit<'_>) {
        let MeasureBrief { name: _, formula, label, format: _, totals: _, hidden: _, levels } = self;
        formulas([formula], visit);
        texts(label, visit);
        for (level, formula) in levels {
            visit(Part::Level(level));
            formulas(formula, visit);
        }
    }
}

impl TierBrief {
    fn each_part(&mut self, visit: &mut Visit<'_>) {
        let TierBrief { name: _, of, by, cuts, quantiles, labels, within } = self;
        names(std::iter::once(of).chain(within), visit);
        formulas([by], visit);
        amounts(cuts.iter_mut().chain(quantiles), visit);
        texts(labels, visit);
    }
}

impl ItemBrief {
    fn each_part(&mut self, visit: &mut Visit<'_>) {
        let ItemBrief { dimension, name, formula, format: _, hidden: _, apply: _ } = self;
        names([dimension, name], visit);
        formulas([formula], visit);
    }
}

impl DimensionBrief {
    fn each_part(&mut self, visit: &mut Visit<'_>) {
        let DimensionBrief { name, label, order, top, bottom, having, only, except, totals_of: _, labels } =
            self;
        names([name], visit);
        texts(label, visit);
        if let Some(Order { by, direction: _ }) = order {
            match by {
                OrderBy::Natural | OrderBy::Label => {}
                OrderBy::Cells(formula) => formulas([formula], visit),
                OrderBy::Members(members) => names(members, visit),
            }
        }
        for TopBrief { count, by, overall: _, others } in top.iter_mut().chain(bottom) {
            amounts([count], visit);
            formulas([by], visit);
            texts(others, visit);
        }
        formulas(having, visit);
        names(only.iter_mut().chain(except), visit);
        for (member, label) in labels {
            names([member], visit);
            texts([label], visit);
        }
    }
}

impl EmphasisBrief {
    fn each_part(&mut self, visit: &mut Visit<'_>) {
        let EmphasisBrief {
            on,
            form: _,
            by,
            only,
            levels,
            reach: _,
            peers: _,
            yardstick: _,
            scale: _,
            about,
            clip,
            low,
            high,
            steps: _,
            good: _,
            palette: _,
            symbols: _,
            figure: _,
            along,
            link,
            rules,
        } = self;
        names(std::iter::once(on).chain(along), visit);
        levels.iter_mut().for_each(|level| visit(Part::Level(level)));
        formulas(by.iter_mut().chain(only).chain(about), visit);
        amounts(clip.iter_mut().flat_map(|(low, high)| [low, high]).chain(low).chain(high), visit);
        texts(link, visit);
        rules.iter_mut().for_each(|rule| rule.each_part(visit));
    }
}

impl RuleBrief {
    fn each_part(&mut self, visit: &mut Visit<'_>) {
        let RuleBrief { name, show: _, from, below, is, top, bottom, mean: _, blank: _, when, unit: _ } =
            self;
        texts(name, visit);
        amounts(from.iter_mut().chain(below).chain(is).chain(top).chain(bottom), visit);
        formulas(when, visit);
    }
}

impl ViewBrief {
    fn each_part(&mut self, visit: &mut Visit<'_>) {
        let ViewBrief { title, form: _, rows, columns, filter, measures, per, scale: _, along, grid } = self;
        texts(title, visit);
        names(rows.iter_mut().chain(columns).flatten(), visit);
        formulas(filter, visit);
        names(measures.iter_mut().chain(per).chain(along), visit);
        names(grid.iter_mut().map(|(member, _)| member), visit);
    }
}
