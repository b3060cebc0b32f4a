//! Dimensions that are filled, and what measures have in cells without lines.

use arrow_array::RecordBatch;

use super::layout::could_be;
use super::model::{Dimension, FillWith, Plan, PlannedFill};
use crate::brief::{Brief, FillBrief, Filled};
use crate::error::{Error, Result};
use crate::formula::{Columns, Spot};
use crate::lines::{BLANK, Coder, LineSource, Member};
use crate::model::{AxisSide, DatePart, Decimal, Kind, Notice, NoticeCode, Period, rescale};

impl Plan {
    /// Checks what is filled, and settles what each measure has in cells without lines.
    pub(super) fn plan_fills(
        &mut self,
        brief: &Brief,
        columns: &mut Columns,
        notices: &mut Vec<Notice>,
    ) -> Result<()> {
        for fill in &brief.fill {
            let place = format!("fill of {}", fill.of.join(", "));
            let mut spots = Vec::new();
            for name in &fill.of {
                match self.spot_of(name) {
                    Some(spot) => spots.push(spot),
                    None if could_be(name, self, columns) => notices.extend(not_in_layout(brief, name)),
                    None => {
                        let known = self.rows.iter().chain(&self.columns).map(|d| d.name.as_str());
                        return Err(Error::unknown(place, "dimension of the layout", name, known));
                    }
                }
            }
            // Of several, those that are here are filled.
            if !spots.is_empty() {
                let planned = self.planned(&place, brief, fill, spots)?;
                self.fills.push(planned);
            }
        }
        self.take_all_parts();
        for side in AxisSide::BOTH {
            for level in 1..=self.axis(side).len() {
                let spot = Spot { side, level };
                if self.fills.iter().filter(|fill| fill.spots.contains(&spot)).count() > 1 {
                    let message = format!("{} is filled twice", self.axis(side)[level - 1].name);
                    return Err(Error::request("fill", message));
                }
            }
        }
        for (place, spec) in brief.measures.iter().enumerate() {
            let adds_up = self.is_additive(&self.measures[place].cell);
            self.measures[place].without_lines = spec.fill.or(adds_up.then_some(Filled::Zero));
        }
        Ok(())
    }

    fn spot_of(&self, name: &str) -> Option<Spot> {
        let on = |side: AxisSide| {
            let place = self.axis(side).iter().position(|dimension| dimension.name == name)?;
            Some(Spot { side, level: place + 1 })
        };
        on(AxisSide::Rows).or_else(|| on(AxisSide::Columns))
    }

    pub(crate) fn dimension_at(&self, spot: Spot) -> &Dimension {
        &self.axis(spot.side)[spot.level - 1]
    }

    /// What one part of the brief comes to.
    fn planned(&self, place: &str, brief: &Brief, fill: &FillBrief, spots: Vec<Spot>) -> Result<PlannedFill> {
        let wrong = |message: String| Err(Error::request(place, message));
        let dimensions: Vec<&Dimension> = spots.iter().map(|spot| self.dimension_at(*spot)).collect();
        let with = match &dimensions[..] {
            [date] if date.period().is_some() && fill.related.is_none() && fill.of.len() == 1 => {
                if !fill.members.is_empty() {
                    return wrong("a date has no list of members; say the first and the last".into());
                }
                let end =
                    |text: &Option<String>| text.as_deref().map(|text| days_of(place, text)).transpose();
                let (first, last) =
                    (end(&fill.first)?.map(|days| days.0), end(&fill.last)?.map(|days| days.1));
                if first.zip(last).is_some_and(|(first, last)| first > last) {
                    return wrong("the first comes after the last".into());
                }
                FillWith::Calendar { first, last }
            }
            _ if fill.first.is_some() || fill.last.is_some() => {
                return wrong("only a date that is filled by itself has a first and a last".into());
            }
            [_, _, ..] if !fill.members.is_empty() => {
                return wrong(
                    "only one dimension has a list of members; several have the rows of a related table"
                        .into(),
                );
            }
            dimensions => {
                if let Some(table) = &fill.related
                    && !brief.related.iter().any(|related| related.name == *table)
                {
                    let known = brief.related.iter().map(|related| related.name.as_str());
                    return Err(Error::unknown(place, "related table", table, known));
                }
                let listed = |label: &String| Ok(vec![self.member_of(place, dimensions[0], label)?]);
                FillWith::Members(fill.members.iter().map(listed).collect::<Result<_>>()?)
            }
        };
        Ok(PlannedFill { place: place.to_string(), spec: fill.clone(), spots, with })
    }

    /// The member that a label names, whether lines have it or not.
    fn member_of(&self, place: &str, dimension: &Dimension, label: &str) -> Result<Member> {
        if self.tiers.iter().any(|tier| tier.name == dimension.name) {
            return Err(Error::request(place, "all its tiers are filled, and it has no other members"));
        }
        let number = |scale: u8| {
            let Decimal { digits, scale: own } = label.parse::<Decimal>().ok()?;
            Some(Member::Number(Decimal { digits: rescale(digits, own, scale)?, scale }))
        };
        let member = match dimension.kind {
            _ if label.is_empty() || label == BLANK => Some(Member::Blank),
            Kind::Text => Some(Member::Text(label.into())),
            Kind::Whole => number(0),
            Kind::Decimal { scale } => number(scale),
            Kind::Float => {
                let number = label.parse::<f64>().ok().filter(|number| number.is_finite());
                number.map(|number| Member::Float(number.to_bits()))
            }
            Kind::YesNo => match label {
                "yes" => Some(Member::YesNo(true)),
                "no" => Some(Member::YesNo(false)),
                _ => None,
            },
            Kind::Date => None,
        };
        member.ok_or_else(|| {
            let message =
                format!("{} holds {}, and {label} is none", dimension.name, dimension.kind.plural());
            Error::request(place, message)
        })
    }

    /// Where a part of a date is filled, so are the others of its column: a month without lines has its year, and no
    /// other one.
    fn take_all_parts(&mut self) {
        let mut fills: Vec<PlannedFill> = Vec::new();
        for mut fill in std::mem::take(&mut self.fills) {
            for spot in fill.spots.clone() {
                let dimension = self.dimension_at(spot);
                if dimension.period().is_some() && fill.spec.related.is_none() {
                    let parts = self.parts_of(dimension.date_column());
                    fill.spots.extend(
                        parts.into_iter().filter(|part| !fill.spots.contains(part)).collect::<Vec<_>>(),
                    );
                }
            }
            let is_calendar = matches!(fill.with, FillWith::Calendar { .. });
            let same = |known: &&mut PlannedFill| {
                is_calendar
                    && known.spots.contains(&fill.spots[0])
                    && matches!(known.with, FillWith::Calendar { .. })
            };
            match fills.iter_mut().find(same) {
                Some(known) => known.with.narrow(fill.with),
                None => fills.push(fill),
            }
        }
        self.fills = fills;
    }

    /// Every dimension that is made of a date column.
    fn parts_of(&self, column: &str) -> Vec<Spot> {
        let of_side = |side: AxisSide| {
            let levels = self.axis(side).iter().zip(1..);
            let made = levels.filter(|(d, _)| d.period().is_some() && d.date_column() == column);
            made.map(move |(_, level)| Spot { side, level })
        };
        AxisSide::BOTH.into_iter().flat_map(of_side).collect()
    }

    /// The part of the calendar that each dimension of a fill is.
    pub(crate) fn parts_at(&self, spots: &[Spot]) -> Vec<DatePart> {
        spots.iter().filter_map(|spot| self.dimension_at(*spot).period()).collect()
    }

    /// Takes the members of what is filled from related tables.
    ///
    /// # Errors
    /// A table that has not all the columns, or that the lines are not opened with, as those of kept groups are.
    pub(crate) fn take_related(&mut self, source: &mut dyn LineSource) -> Result<()> {
        for place in 0..self.fills.len() {
            let fill = &self.fills[place];
            let Some(table) = fill.spec.related.clone() else { continue };
            let dimensions: Vec<Dimension> =
                fill.spots.iter().map(|spot| self.dimension_at(*spot).clone()).collect();
            let names: Vec<&str> = dimensions.iter().map(Dimension::date_column).collect();
            let rows = source.related_rows(&table, &names).map_err(|e| e.within(&fill.place))?;
            let Some(rows) = rows else {
                let message = format!(
                    "its members are those of the related table {table}, which is not at hand here; list them"
                );
                return Err(Error::request(&fill.place, message));
            };
            let members = members_of_rows(&dimensions, &rows)?;
            if let FillWith::Members(listed) = &mut self.fills[place].with {
                listed.extend(members);
            }
        }
        Ok(())
    }
}

impl FillWith {
    /// The part of a calendar that two of the same column leave.
    fn narrow(&mut self, other: FillWith) {
        if let (FillWith::Calendar { first, last }, FillWith::Calendar { first: from, last: to }) =
            (self, other)
        {
            *first = (*first).or(from);
            *last = (*last).or(to);
        }
    }
}

/// The members of each row of a related table.
fn members_of_rows(dimensions: &[Dimension], rows: &[RecordBatch]) -> Result<Vec<Vec<Member>>> {
    let mut coders: Vec<Coder> = dimensions.iter().map(|d| Coder::new(d.kind, d.part)).collect();
    let mut all = Vec::new();
    for batch in rows {
        let mut codes = vec![Vec::new(); coders.len()];
        for ((coder, codes), array) in coders.iter_mut().zip(&mut codes).zip(batch.columns()) {
            coder.code(array, codes)?;
        }
        let member = |row: usize| {
            coders.iter().zip(&codes).map(|(coder, codes)| coder.member(codes[row]).into_owned()).collect()
        };
        all.extend((0..batch.num_rows()).map(member));
    }
    Ok(all)
}

/// The first and the last day of a period that a text names.
fn days_of(place: &str, text: &str) -> Result<(i32, i32)> {
    let period = text.parse::<Period>().map_err(|e| Error::request(place, format!("{text}: {e}")))?;
    period.ends().ok_or_else(|| {
        Error::request(place, format!("{text} comes round again; write a period of one year, as 2025-01"))
    })
}

/// That something is filled that is shown nowhere.
fn not_in_layout(brief: &Brief, name: &str) -> Option<Notice> {
    let views = (0..brief.views.len()).filter_map(|view| brief.of_view(view).ok());
    let shown = views.flat_map(|view| [view.rows, view.columns].concat()).any(|shown| shown == name);
    let message = format!("fill of {name}: it is not in the layout; kept and not used");
    (!shown).then(|| Notice::author(NoticeCode::NotInLayout, message))
}
