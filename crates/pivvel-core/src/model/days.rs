//! Days to numbers by one look into a table.

/// Days from 1880 to 2135 have a place in a table; others are worked out each time.
const FIRST_DAY: i32 = -32_872;
const DAYS: i32 = 93_000;

/// A number for each day that was met. It grows to the days that there are.
#[derive(Debug, Clone, Default)]
pub(crate) struct DayTable {
    first: i32,
    numbers: Vec<u32>,
    known: usize,
}

impl DayTable {
    /// Stands for a day that has no number yet.
    pub(crate) const NONE: u32 = u32::MAX;

    /// The number of a day, or [`DayTable::NONE`].
    pub(crate) fn get(&self, day: i32) -> u32 {
        self.numbers.get(day.wrapping_sub(self.first) as u32 as usize).copied().unwrap_or(Self::NONE)
    }

    /// The numbers of many days, each of them as in [`DayTable::get`].
    pub(crate) fn look_up(&self, days: &[i32], numbers: &mut Vec<u32>) {
        let (first, known): (i32, &[u32]) = (self.first, &self.numbers);
        let number = |day: &i32| known.get(day.wrapping_sub(first) as u32 as usize).copied();
        numbers.extend(days.iter().map(|day| number(day).unwrap_or(Self::NONE)));
    }

    /// The first day that has a place, and the numbers of the days from it on.
    pub(crate) fn table(&self) -> (i32, &[u32]) {
        (self.first, &self.numbers)
    }

    /// How many numbers were given.
    pub(crate) fn known(&self) -> usize {
        self.known
    }

    /// Gives a day its number.
    pub(crate) fn set(&mut self, day: i32, number: u32) {
        if !(FIRST_DAY..FIRST_DAY + DAYS).contains(&day) {
            return;
        }
        let last = self.first + self.numbers.len() as i32;
        if self.numbers.is_empty() {
            self.first = day;
        } else if day < self.first {
            // Twice as many as before, so that days that come backwards do not move all of them each time.
            let first = (self.first - self.numbers.len() as i32).min(day).max(FIRST_DAY);
            let before = (self.first - first) as usize;
            self.numbers.splice(0..0, std::iter::repeat_n(Self::NONE, before));
            self.first = first;
        }
        if day >= last || self.numbers.is_empty() {
            self.numbers.resize((day - self.first) as usize + 1, Self::NONE);
        }
        self.numbers[(day - self.first) as usize] = number;
        self.known += 1;
    }

    /// About how many bytes the table takes.
    pub(crate) fn bytes(&self) -> usize {
        self.numbers.capacity() * size_of::<u32>()
    }
}
