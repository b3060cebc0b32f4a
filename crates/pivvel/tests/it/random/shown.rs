//! Random tiers, tops, conditions on members and calculated items: as a brief, and as lines whose members were
//! changed by SQL, so that plain roll-ups of those must give the same cells.

use pivvel::Brief;
use pivvel::brief::{DimensionBrief, Placement, TierBrief, TopBrief, TotalsOf};

use super::layout::Layout;
use crate::draw::Draw;

const ROWS: [&[&str]; 8] = [
    &["coast", "agent"],
    &["agent", "range"],
    &["size", "range"],
    &["coast", "size", "agent"],
    &["range", "coast", "harbour"],
    &["agent", "sold_on.year", "sold_on.quarter"],
    &["channel", "coast"],
    &["harbour", "yard"],
];

const COLUMNS: [&[&str]; 5] =
    [&["scenario"], &["channel", "scenario"], &[], &["channel"], &["scenario", "range"]];

/// What a brief asks for besides its measures, and the lines that show the same.
pub(super) struct Shown {
    pub(super) brief: Brief,
    pub(super) layout: Layout,
    /// The last table that was written, as lines are changed step by step.
    lines: String,
    /// Whether lines or members may be missing, so that items of named members are left out.
    picks: Vec<&'static str>,
}

/// A random request over lines that meet a condition.
pub(super) fn shown(draw: &mut Draw, (condition, sql): (&str, &str)) -> Shown {
    let mut layout = Layout::new(draw.of(&ROWS), draw.of(&COLUMNS));
    let brief = Brief::new().rows(layout.rows.iter().copied()).columns(layout.columns.iter().copied());
    let brief = if condition.is_empty() { brief } else { brief.filter(condition) };
    let all = layout.rows.iter().chain(&layout.columns).copied();
    layout.relabelled = all.filter(|name| !name.contains('.') && *name != "size").collect();
    let own = layout.relabelled.iter().map(|name| format!(", {name} shown_{name}")).collect::<String>();
    layout.with = format!("kept as (select *{own} from lines where {sql}), ");
    let mut shown = Shown { brief, layout, lines: "kept".into(), picks: Vec::new() };
    if shown.layout.rows.contains(&"size") || draw.below(6) == 0 {
        shown.tier(draw);
    }
    if draw.below(4) > 0 {
        shown.pick_members(draw);
    }
    if draw.below(3) > 0 {
        shown.calculate(draw);
    }
    shown.switch_totals_off(draw);
    shown.layout.lines[0].0 = shown.lines.clone();
    shown
}

impl Shown {
    fn change(&mut self, change: impl FnOnce(Brief) -> Brief) {
        self.brief = change(std::mem::take(&mut self.brief));
    }

    /// Adds a query to those that stand first; lines are read from it from now on.
    fn step(&mut self, name: &str, query: &str) {
        self.layout.with += &format!("{name} as ({query}), ");
        self.lines = name.to_string();
    }

    /// Yards in classes of what they bought, in all or in their coast, and sometimes one of them only.
    fn tier(&mut self, draw: &mut Draw) {
        let within = draw.below(2) == 0;
        let quantiles = draw.below(2) == 0;
        let cuts = if quantiles { ["25%", "60%"] } else { ["100", "900"] };
        let labels = ["1 small", "2 middle", "3 large"];
        let tier = TierBrief::new("size", "yard", "sum(amount)").labels(labels);
        let tier = if quantiles { tier.quantiles(cuts) } else { tier.cuts(cuts) };
        let tier = if within { tier.within(["coast"]) } else { tier };
        self.change(|brief| brief.tier(tier));
        let coast = if within { "coast" } else { "''::text" };
        let cut = |cut: &str| match cut.strip_suffix('%') {
            Some(share) => format!("percentile_cont({share} / 100.0) within group (order by v)"),
            None => format!("{cut}::float"),
        };
        let lines = self.lines.clone();
        self.step(
            "sized",
            &format!("select {coast} area, yard, sum(amount) v from {lines} where yard <> '' group by 1, 2"),
        );
        self.step(
            "cut",
            &format!("select area, {} low, {} high from sized group by area", cut(cuts[0]), cut(cuts[1])),
        );
        let class = format!(
            "case when s.v is null then '' when s.v >= c.high then '{}' when s.v >= c.low then '{}' else '{}' end size",
            labels[2], labels[1], labels[0]
        );
        let area = if within { "l.coast" } else { "''" };
        self.step("tiered", &format!(
            "select l.*, {class} from {lines} l left join sized s on s.yard = l.yard and s.area = {area} left join cut c on c.area = s.area"
        ));
        if draw.below(3) == 0 {
            let label = draw.of(&labels);
            let condition = format!("size <> '{label}'");
            let both = match self.brief.get_filter() {
                Some(filter) => format!("({filter}) and {condition}"),
                None => condition.clone(),
            };
            self.change(|brief| brief.filter(both));
            self.step("of_size", &format!("select * from tiered where {condition}"));
        }
    }

    /// Conditions on members and tops, of the outermost row, of the next one and of the outermost column: decided
    /// on all lines, then carried out; and last what is under a member that gathers, which has members only then.
    fn pick_members(&mut self, draw: &mut Draw) {
        let relabelled = |name: &&&'static str| self.layout.relabelled.contains(*name);
        let outer = self.layout.rows.first().filter(relabelled).copied();
        let inner = self.layout.rows.get(1).filter(relabelled).copied().filter(|_| outer.is_some());
        let column = self.layout.columns.first().copied().filter(|name| *name == "channel");
        let all = [(outer, None, 'r', 1), (inner, outer, 'r', 2), (column, None, 'c', 1)];
        let mut picks: Vec<Picked> = Vec::new();
        for (name, parent, axis, level) in all {
            if let Some(name) = name.filter(|_| draw.below(3) > 0) {
                picks.push(Picked::draw(draw, name, parent, axis, level));
            }
        }
        let lines = self.lines.clone();
        for picked in &picks {
            self.change(|brief| brief.add_dimension(picked.brief()));
            self.picks.push(picked.name);
            self.step(&format!("fate_{}{}", picked.axis, picked.level), &picked.fates(&lines));
            self.layout.apart.extend(picked.others());
        }
        if picks.is_empty() {
            return;
        }
        // What stands under a member that gathers is decided afterwards, but for a top over all, which is one.
        let gathers =
            picks.iter().find(|picked| picked.level == 1 && picked.axis == 'r' && picked.others().is_some());
        let later = |picked: &Picked| picked.level == 2 && gathers.is_some();
        let mut fates = Vec::new();
        for picked in &picks {
            let fate = format!("{}{}.fate", picked.axis, picked.level);
            let now = if picked.overall { " and not r2.met" } else { "" };
            fates.push((
                picked,
                match later(picked) {
                    true => format!("case when r1.fate = 'gather'{now} then 'keep' else {fate} end"),
                    false => fate,
                },
            ));
        }
        let columns = self.columns_with(&fates);
        let joins = picks.iter().map(|picked| picked.join("l")).collect::<String>();
        let dropped = fates.iter().map(|(_, fate)| format!(" and {fate} <> 'drop'")).collect::<String>();
        self.step("picked", &format!("select {columns} from {lines} l{joins} where true{dropped}"));
        for picked in &picks {
            let hidden = format!("hidden_{}{}", picked.axis, picked.level);
            self.layout.hidden.push((hidden, picked.axis, picked.level));
        }
        if let (Some(inner), Some(gathers)) = (picks.iter().find(|picked| later(picked)), gathers) {
            let others = gathers.others().unwrap();
            let under = format!("shown_{} = '{others}'", gathers.name);
            // The same question again, of the lines that are gathered.
            let made = inner.others().filter(|_| inner.overall);
            let made = made.map_or(String::new(), |label| format!(" and shown_{} <> '{label}'", inner.name));
            let again = format!("(select * from picked where {under}{made})");
            let top = inner.top.clone().filter(|_| !inner.overall);
            self.step("fate_again", &Picked { top, overall: false, ..inner.clone() }.fates(&again));
            let mine = format!("shown_{}", inner.name);
            let gathered = inner.others().map_or(format!("l.{mine}"), |label| {
                format!("case when r2.fate = 'gather' then '{label}' else l.{mine} end")
            });
            let join = inner.join("l").replace("fate_r2", "fate_again");
            let named = self.named_columns(&[&mine, "hidden_r2"]);
            self.step("picked_again", &format!(
                "select {named}, {gathered} {mine}, l.hidden_r2 or coalesce(r2.fate = 'hide', false) hidden_r2 from picked l left {} where r2.fate is distinct from 'drop'",
                join.trim_start()
            ));
        }
        // Members that become one are shown where one of them is.
        if let Some(inner) = picks.iter().find(|picked| picked.level == 2) {
            let own = format!("shown_{}, shown_{}", inner.parent.unwrap(), inner.name);
            let named = self.named_columns(&["hidden_r2"]);
            let lines = self.lines.clone();
            self.step(
                "settled",
                &format!(
                    "select {named}, bool_and(hidden_r2) over (partition by {own}) hidden_r2 from {lines} l"
                ),
            );
        }
    }

    /// The columns of lines, with gathered members and hidden ones marked.
    fn columns_with(&self, fates: &[(&Picked, String)]) -> String {
        let mine: Vec<String> = fates.iter().map(|(picked, _)| format!("shown_{}", picked.name)).collect();
        let mut columns = vec![self.named_columns(&mine.iter().map(String::as_str).collect::<Vec<_>>())];
        for ((picked, fate), mine) in fates.iter().zip(&mine) {
            columns.push(match picked.others() {
                Some(label) => format!("case when {fate} = 'gather' then '{label}' else l.{mine} end {mine}"),
                None => format!("l.{mine}"),
            });
            columns.push(format!("{fate} = 'hide' hidden_{}{}", picked.axis, picked.level));
        }
        columns.join(", ")
    }

    /// The columns of lines as they are, but for some.
    fn named_columns(&self, without: &[&str]) -> String {
        let plain = "\"order\" sold_on month scenario coast harbour yard range article agent channel quantity unit_price amount cost";
        let plain = plain.split(' ').map(str::to_string);
        let shown = self.layout.relabelled.iter().map(|name| format!("shown_{name}"));
        let hidden = self.layout.hidden.iter().map(|(name, ..)| name.clone());
        let tiers = self.brief.get_tiers().iter().map(|tier| tier.get_name().to_string());
        let all =
            plain.chain(shown).chain(hidden).chain(tiers).filter(|name| !without.contains(&name.as_str()));
        all.map(|name| format!("l.{name}")).collect::<Vec<_>>().join(", ")
    }

    /// Items: groups of members, whose lines stand beside all others, and differences, which are computed from cells.
    fn calculate(&mut self, draw: &mut Draw) {
        let known: [(&'static str, [&'static str; 2]); 4] = [
            ("scenario", ["actual", "plan"]),
            ("channel", ["web", "counter"]),
            ("coast", ["Fell Coast", "Skerry Coast"]),
            ("range", ["Rope", "Paint"]),
        ];
        let names = [["scenarios", "variance"], ["channels", "lead"], ["coasts", "gap"], ["ranges", "edge"]];
        // On rows, members that are not shown would have to be told from those under the item.
        let open = |name: &&str| {
            let on_rows = self.layout.rows.contains(name);
            let picked_rows = self.layout.hidden.iter().any(|(_, axis, _)| *axis == 'r');
            self.layout.relabelled.contains(name) && !self.picks.contains(name) && !(on_rows && picked_rows)
        };
        let chosen: Vec<usize> = (0..known.len()).filter(|i| open(&known[*i].0)).collect();
        let mut groups: Vec<(&'static str, &'static str, [&'static str; 2])> = Vec::new();
        for i in chosen {
            let ((dimension, members), [group, difference]) = (known[i], names[i]);
            let quoted = members.map(|member| format!("\"{member}\""));
            if draw.below(2) == 0 {
                self.brief =
                    std::mem::take(&mut self.brief).item(dimension, group, quoted.join(" + ").as_str());
                groups.push((dimension, group, members));
                self.layout.apart.push(group);
            }
            if draw.below(2) == 0 {
                let formula = quoted.join(" - ");
                self.brief = std::mem::take(&mut self.brief).item(dimension, difference, formula.as_str());
                self.layout.differences.push((self.layout.name_of(dimension), difference, members));
            }
        }
        // The lines of every set of groups that can meet in a cell.
        for set in 1..1 << groups.len() {
            let of_set: Vec<_> = (0..groups.len()).filter(|i| set >> i & 1 == 1).map(|i| groups[i]).collect();
            let mine: Vec<String> =
                of_set.iter().map(|(dimension, ..)| format!("shown_{dimension}")).collect();
            let columns = self.named_columns(&mine.iter().map(String::as_str).collect::<Vec<_>>());
            let labels = of_set.iter().map(|(dimension, label, _)| format!(", '{label}' shown_{dimension}"));
            let conditions = of_set
                .iter()
                .map(|(dimension, _, [a, b])| format!(" and shown_{dimension} in ('{a}', '{b}')"));
            let table = format!(
                "(select {columns}{} from {} l where true{})",
                labels.collect::<String>(),
                self.lines,
                conditions.collect::<String>(),
            );
            self.layout.lines.push((table, of_set.iter().map(|(dimension, ..)| *dimension).collect()));
        }
    }

    fn switch_totals_off(&mut self, draw: &mut Draw) {
        let rows = self.layout.rows.iter().rev().skip(1).map(|name| name.to_string());
        let columns = self.layout.columns.iter().rev().skip(1).map(|name| name.to_string());
        let mut all: Vec<String> = rows.chain(columns).chain(["column total".to_string()]).collect();
        if !self.layout.columns.is_empty() {
            all.push("row total".into());
        }
        all.retain(|_| draw.below(4) == 0);
        self.change(|brief| brief.totals(all.into_iter().map(|name| (name, Placement::Off))));
    }
}

/// Which members of one dimension are shown.
#[derive(Clone)]
struct Picked {
    name: &'static str,
    parent: Option<&'static str>,
    axis: char,
    level: usize,
    /// A condition on cells, here and in SQL.
    having: Option<(&'static str, &'static str)>,
    /// What members are ranked by, here and in SQL.
    /// Which members are kept, whether they are the lowest, and by what in SQL.
    top: Option<(TopBrief, bool, &'static str)>,
    overall: bool,
    shown_only: bool,
}

impl Picked {
    fn draw(
        draw: &mut Draw,
        name: &'static str,
        parent: Option<&'static str>,
        axis: char,
        level: usize,
    ) -> Picked {
        let others = ["all else", "the rest", "others"][level - 1 + usize::from(axis == 'c') * 2];
        let overall = parent.is_some() && draw.below(3) == 0;
        let (by, sql) =
            draw.of(&[("s", "sum(amount)"), ("n", "count(*)"), ("s / n", "sum(amount) / count(*)")]);
        let top = TopBrief::new(draw.of(&["1", "2", "3", "30%", "50%", "75%"]), by).overall(overall);
        let top = if draw.below(3) > 0 { top.others(others) } else { top };
        let lowest = draw.below(3) == 0;
        let top = (draw.below(4) > 0).then_some((top, lowest, sql));
        let having = draw.of(&[("s > 300", "sum(amount) > 300"), ("n >= 3", "count(*) >= 3")]);
        let having = (top.is_none() || draw.below(3) == 0).then_some(having);
        Picked {
            name,
            parent,
            axis,
            level,
            having,
            overall: overall && top.is_some(),
            top,
            shown_only: draw.below(2) == 0,
        }
    }

    fn brief(&self) -> DimensionBrief {
        let own = DimensionBrief::new(self.name);
        let own = own.totals_of(if self.shown_only { TotalsOf::Shown } else { TotalsOf::All });
        let own = self.having.iter().fold(own, |own, (formula, _)| own.having(*formula));
        match &self.top {
            Some((top, true, _)) => own.bottom(top.clone()),
            Some((top, false, _)) => own.top(top.clone()),
            None => own,
        }
    }

    fn others(&self) -> Option<&'static str> {
        let label = self.top.as_ref()?.0.get_others()?.as_str();
        ["all else", "the rest", "others"].into_iter().find(|known| *known == label)
    }

    /// What becomes of each member under each parent.
    fn fates(&self, lines: &str) -> String {
        let parent = self.parent.map_or("''::text".to_string(), |parent| format!("shown_{parent}"));
        let ok = self.having.map_or("true", |(_, sql)| sql);
        let else_fate = if self.shown_only { "drop" } else { "hide" };
        let (rank, fate) = match &self.top {
            None => ("1".to_string(), "'keep'".to_string()),
            Some((top, lowest, _)) => {
                let area = if self.overall { "" } else { "parent, " };
                let way = if *lowest { "" } else { "desc" };
                let count = top.get_count().to_string();
                let wanted = match count.strip_suffix('%') {
                    Some(share) => format!("ceil(n * {share} / 100.0)"),
                    None => count,
                };
                let left_out = if top.get_others().is_some() { "gather" } else { else_fate };
                (
                    format!(
                        "row_number() over (partition by {area}ok order by v {way} nulls last, parent = '', lower(parent), member = '', lower(member))"
                    ),
                    format!("case when p > {wanted} then '{left_out}' else 'keep' end"),
                )
            }
        };
        let area = if self.overall { "ok" } else { "parent, ok" };
        let value = self.top.as_ref().map_or("null::numeric", |(.., sql)| sql);
        format!(
            "select parent, member, ok met, case when not ok then '{else_fate}' else {fate} end fate from (select *, {rank} p, count(*) over (partition by {area}) n from (select {parent} parent, shown_{} member, {value} v, coalesce({ok}, false) ok from {lines} lines group by 1, 2) a) b",
            self.name,
        )
    }

    /// The fate of a line's member, as another table.
    fn join(&self, lines: &str) -> String {
        let place = format!("{}{}", self.axis, self.level);
        let parent = self
            .parent
            .map_or(String::new(), |parent| format!(" and {place}.parent = {lines}.shown_{parent}"));
        format!(" join fate_{place} {place} on {place}.member = {lines}.shown_{}{parent}", self.name)
    }
}
