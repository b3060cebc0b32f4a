//! How the parts of a brief are read in Rust: what is set by the name of a key is read by the same name after `get_`, as with
//! [`std::process::Command`].

use super::{
    Amount, Apply, AssumptionBrief, BadValues, Brief, ControlBrief, DimensionBrief, EmphasisBrief, Figure,
    FillBrief, Filled, FilledCells, Form, ItemBrief, Level, MeanSide, MeasureBrief, Negative, NumberFormat,
    Order, PageBrief, PaletteBrief, PaletteOf, PanelScale, PeersOf, Placement, Reach, RelatedBrief,
    RuleBrief, ScaleBy, Scaling, Show, Side, SymbolSet, Template, TierBrief, TopBrief, TotalsOf, Unit,
    ViewBrief, ViewForm, YardstickOf,
};
use crate::formula::Formula;
use crate::getters;

getters! {
    AssumptionBrief {
        /// The name that formulas and texts use.
        name as get_name: &str,
        /// The value by default, as in `4%` or `12.5`.
        value as get_value: &Amount,
        /// The lowest number that makes sense.
        low as get_low: Option<&Amount>,
        /// The highest number that makes sense.
        high as get_high: Option<&Amount>,
        /// How far the values lie apart that a page offers from the lowest to the highest.
        step as get_step: Option<&Amount>,
        /// The only values that make sense, where there are few.
        choices as get_choices: &[Amount],
    }
}

getters! {
    DimensionBrief {
        /// The dimension as the layout names it.
        name as get_name: &str,
        /// Its heading (default: the name).
        label as get_label: Option<&Template>,
        /// The order of its members: `label`, `calendar` or a formula over cells as `sales at scenario
        /// 'plan'`, then `asc` or `desc`; or a list of members, which come first.
        order as get_order: Option<&Order>,
        /// Keeps the highest members only.
        top as get_top: Option<&TopBrief>,
        /// Keeps the lowest members only.
        bottom as get_bottom: Option<&TopBrief>,
        /// The condition on cells that members must meet, as in `sales > 10000`.
        having as get_having: Option<&Formula>,
        /// The only members that are shown (default: all).
        only as get_only: &[String],
        /// Members that are not shown.
        except as get_except: &[String],
        /// What totals cover where members are not shown.
        totals_of as get_totals_of: TotalsOf,
        /// Labels that are shown instead of members' own.
        labels as get_labels: &[(String, Template)],
        /// Colours of members on pages and in charts, as CSS writes colours.
        colours as get_colours: &[(String, String)],
        /// The dimension whose colours its members have, where each of them has one member of it: articles in the colours
        /// of their range.
        colours_of as get_colours_of: Option<&str>,
    }
}

getters! {
    TopBrief {
        /// How many, as a number, a share such as `20%`, or the name of an assumption.
        count as get_count: &Amount,
        /// What they are ranked by: a measure, or a formula over cells.
        by as get_by: &Formula,
        /// Whether they are ranked overall rather than within each parent.
        overall as get_overall: bool,
        /// The label of the member that gathers the rest (default: the rest is dropped).
        others as get_others: Option<&Template>,
    }
}

getters! {
    EmphasisBrief {
        /// What it is called where one is changed or dropped for a run: `--emphasis`, `--rule`, `--drop`.
        name as get_name: Option<&str>,
        /// The measure whose cells stand out; for a link a dimension may be named, whose members link.
        on as get_on: &str,
        /// How they do.
        form as get_form: Form,
        /// What decides, where it is not the measure itself: another measure, or a formula over cells.
        by as get_by: Option<&Formula>,
        /// The condition that cells must meet, as in `coast = 'Fell Coast' and range = 'Rope'`.
        only as get_only: Option<&Formula>,
        /// The levels that it is for (default: all but the grand totals).
        levels as get_levels: &[Level],
        /// Whether the cell or its whole row stands out; for a row, its value in the total of the columns decides.
        reach as get_reach: Reach,
        /// The cells that are scaled together.
        peers as get_peers: &PeersOf,
        /// Which of them the yardstick measures: shown, all, or those of a file of kept yardsticks (.json).
        yardstick as get_yardstick: &YardstickOf,
        /// Whether cells without lines, which a `fill` makes, are among them.
        filled as get_filled: FilledCells,
        /// Whether places are by value or by rank.
        scale as get_scale: &ScaleBy,
        /// The middle that positions are about: a number, `mean`, `median`, or a formula over cells.
        about as get_about: Option<&Formula>,
        /// The shares of the peers at which the scale ends, as `5%` and `95%`.
        clip as get_clip: Option<&(Amount, Amount)>,
        /// A fixed low end, in true units.
        low as get_low: Option<&Amount>,
        /// A fixed high end, in true units.
        high as get_high: Option<&Amount>,
        /// In how many steps it shows, where not continuously.
        steps as get_steps: Option<u8>,
        /// Which direction is good, if either is.
        good as get_good: Option<Side>,
        /// The palette.
        palette as get_palette: Option<&PaletteOf>,
        /// The set of symbols.
        symbols as get_symbols: Option<SymbolSet>,
        /// Whether the number stands beside its symbol or bar.
        figure as get_figure: Figure,
        /// The periods that a trend goes along.
        along as get_along: Option<&str>,
        /// What a link leads to, with `{dimension}` for the label of the cell's member.
        link as get_link: Option<&Template>,
        /// The rules: the first that matches decides. Without rules the scale does.
        rules as get_rules: &[RuleBrief],
    }
}

getters! {
    RuleBrief {
        /// What the legend calls it.
        name as get_name: Option<&Template>,
        /// How it shows: a tone, or the number of a symbol (default: by its place among the rules).
        show as get_show: Option<&Show>,
        /// The lowest value that matches: a number, a position such as `25%`, a date or an assumption.
        from as get_from: Option<&Amount>,
        /// The highest value that no longer matches, below those that do.
        above as get_above: Option<&Amount>,
        /// The lowest value that no longer matches, above those that do.
        below as get_below: Option<&Amount>,
        /// The highest value that matches.
        up_to as get_up_to: Option<&Amount>,
        /// The only value that matches.
        is as get_is: Option<&Amount>,
        /// So many, or such a share, of the highest of its peers.
        top as get_top: Option<&Amount>,
        /// So many, or such a share, of the lowest of its peers.
        bottom as get_bottom: Option<&Amount>,
        /// Above or below the mean of its peers.
        mean as get_mean: Option<MeanSide>,
        /// Whether it is for cells without a value.
        blank as get_blank: bool,
        /// A condition over the cell.
        when as get_when: Option<&Formula>,
        /// What a percentage among the bounds means.
        unit as get_unit: Unit,
    }
}

getters! {
    FillBrief {
        /// The dimension. Of several, the combinations that the lines have are taken as one: a harbour with its coast.
        of as get_of: &[String],
        /// Members that it has beside those of the lines.
        members as get_members: &[String],
        /// The related table whose rows are its members, beside those of the lines.
        related as get_related: Option<&str>,
        /// The first period, as `2025-01` (default: that of the lines).
        first as get_first: Option<&str>,
        /// The last period (default: that of the lines).
        last as get_last: Option<&str>,
    }
}

getters! {
    NumberFormat {
        /// Digits after the point; `None` shows exact numbers with the digits that they have and
        /// floating-point numbers with two.
        decimals as get_decimals: Option<u8>,
        /// What one shown unit stands for.
        scaling as get_scaling: Scaling,
        /// The mark between thousands; empty for none.
        marks as get_marks: &str,
        /// The decimal point.
        point as get_point: &str,
        /// What stands before a number: a currency sign, as a rule.
        before as get_before: &str,
        /// What stands after a number.
        after as get_after: &str,
        /// How a negative number is shown.
        negative as get_negative: Negative,
        /// What stands where there is no value.
        blank as get_blank: &str,
    }
}

getters! {
    PageBrief {
        /// What readers choose: assumptions with `choices`, or with `low`, `high` and `step`; dimensions, whose members they
        /// choose.
        controls as get_controls: &[ControlBrief],
        /// Whether it holds the script that folds, sorts and finds. Without one a page can be mailed, and shows the same.
        script as get_script: bool,
    }
}

getters! {
    ControlBrief {
        /// The name of an assumption, or of a dimension: a column, or a part of a date.
        name as get_name: &str,
        /// What it is called on the page (default: the name).
        label as get_label: Option<&Template>,
        /// Whether several members may be chosen at once, where without it is one or all.
        several as get_several: bool,
    }
}

getters! {
    PaletteBrief {
        /// Its name.
        name as get_name: &str,
        /// The colour of the high end, as CSS writes colours.
        high as get_high: &str,
        /// The colour of the low end, for scales about a middle.
        low as get_low: Option<&str>,
    }
}

getters! {
    Brief {
        /// The heading (default: made from the layout); {period}, {where}, {source} and assumptions stand in braces.
        title as get_title: Option<&Template>,
        /// Where the lines are.
        source as get_source: Option<&str>,
        /// Dimensions on the rows, outermost first: columns, or parts of dates as `sold_on.quarter`.
        rows as get_rows: &[String],
        /// Dimensions on the columns, outermost first.
        columns as get_columns: &[String],
        /// The condition that lines must meet, as in `channel <> 'staff'`.
        filter as get_filter: Option<&Formula>,
        /// Columns that are computed from others, line by line: name and formula.
        derived as get_derived: &[(String, Formula)],
        /// Files that bring further columns in.
        related as get_related: &[RelatedBrief],
        /// What-if values.
        assumptions as get_assumptions: &[AssumptionBrief],
        /// Classes of members by an aggregate.
        tiers as get_tiers: &[TierBrief],
        /// Members that are computed from their siblings.
        items as get_items: &[ItemBrief],
        /// What is computed (default: the count of lines).
        measures as get_measures: &[MeasureBrief],
        /// Kinds that columns are given rather than found to be, by column.
        kinds as get_kinds: &[(String, String)],
        /// Labels, order and members of single dimensions.
        dimensions as get_dimensions: &[DimensionBrief],
        /// Dimensions whose every member has its cell, whether lines have it or not.
        fill as get_fill: &[FillBrief],
        /// Where totals stand: `rows`, `columns`, a dimension, `row total` or `column total`; an empty
        /// name means all. Later ones go before earlier ones.
        totals as get_totals: &[(String, Placement)],
        /// Palettes of the brief's own, by name.
        palettes as get_palettes: &[PaletteBrief],
        /// What stands out.
        emphasis as get_emphasis: &[EmphasisBrief],
        /// Further views of the same lines.
        views as get_views: &[ViewBrief],
        /// How a page answers its readers.
        page as get_page: &PageBrief,
        /// The language or the file of the words, colours, fonts and logo that it is drawn in.
        appearance as get_appearance: Option<&str>,
        /// What to do about values that do not fit their column's kind.
        bad_values as get_bad_values: BadValues,
        /// Files to write, each in the form that its ending says.
        to as get_to: &[String],
    }
}

getters! {
    MeasureBrief {
        /// Its name in formulas and data.
        name as get_name: &str,
        /// The aggregate, as in `sum(price * quantity)`.
        formula as get_formula: &Formula,
        /// Its heading (default: the name).
        label as get_label: Option<&Template>,
        /// How its numbers are shown.
        format as get_format: &NumberFormat,
        /// Whether it is shown at totals and subtotals too, or in the leaf cells only.
        totals as get_totals: bool,
        /// Whether it is computed for other measures only, and not shown.
        hidden as get_hidden: bool,
        /// What it has in a cell without lines (default: zero for sums and counts, and what adds or subtracts these).
        fill as get_fill: Option<Filled>,
        /// Another formula at a level, or `none` for none there.
        levels as get_levels: &[(Level, Option<Formula>)],
    }
}

getters! {
    ItemBrief {
        /// The dimension that it is a member of.
        dimension as get_dimension: &str,
        /// Its label.
        name as get_name: &str,
        /// The formula over siblings, as in `actual - plan`.
        formula as get_formula: &Formula,
        /// How its numbers are shown, whatever the measure (default: as the measure's).
        format as get_format: Option<&NumberFormat>,
        /// Whether it is computed for other items only, and not shown.
        hidden as get_hidden: bool,
        /// Whether it is applied to measures, or to the aggregates that these are made of (default: the
        /// latter for a sum of members).
        apply as get_apply: Option<Apply>,
    }
}

getters! {
    TierBrief {
        /// The name of the dimension that the tiers make.
        name as get_name: &str,
        /// The dimension whose members are classified.
        of as get_of: &str,
        /// What they are classified by, as in `sum(amount)`.
        by as get_by: &Formula,
        /// The cuts as values, lowest first: a value on a cut belongs to the tier above it.
        cuts as get_cuts: &[Amount],
        /// The cuts as shares of the members, lowest first: `50%` is the median.
        quantiles as get_quantiles: &[Amount],
        /// The tiers' labels, lowest first: one more than there are cuts.
        labels as get_labels: &[Template],
        /// Dimensions within which members are classified, each by itself.
        within as get_within: &[String],
    }
}

getters! {
    RelatedBrief {
        /// What it is called in messages.
        name as get_name: &str,
        /// The file.
        source as get_source: &str,
        /// The columns that both have, or by column of the lines the one of the file that it is looked up in.
        keys as get_keys: &[(String, String)],
    }
}

getters! {
    ViewBrief {
        /// The heading (default: made from the layout).
        title as get_title: Option<&Template>,
        /// How it is drawn.
        form as get_form: ViewForm,
        /// Dimensions on its rows (default: the brief's own).
        rows as get_rows: Option<&[String]>,
        /// Dimensions on its columns; the brief's own for a cross-tab, and none else.
        columns as get_columns: Option<&[String]>,
        /// The condition that its lines must meet beside the brief's.
        filter as get_filter: Option<&Formula>,
        /// The measures that it shows, by name; all for a cross-tab, and else as many as it takes.
        measures as get_measures: &[String],
        /// The dimension of which each member gets a picture of its own.
        per as get_per: Option<&str>,
        /// Whether these pictures share one scale, or each has its own.
        scale as get_scale: PanelScale,
        /// The periods that lines go along.
        along as get_along: Option<&str>,
        /// Where places stand on a grid: column and row by member, from 1.
        grid as get_grid: &[(String, (u32, u32))],
    }
}
