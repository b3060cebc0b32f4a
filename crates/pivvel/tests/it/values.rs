//! Numbers and dates are what their digits say, however long they are and wherever they stand in a
//! line; what is no number is none.

use pivvel::source::{ReadOptions, TextSource};
use pivvel::{Brief, CrossTab};
use proptest::prelude::*;

fn build(text: &str, kinds: &[(&str, &str)], brief: &Brief) -> Result<CrossTab, String> {
    let kinds = kinds.iter().map(|(column, kind)| (column.to_string(), kind.to_string()));
    let options = ReadOptions::default().kinds(kinds).block_bytes(200);
    let reader = std::io::Cursor::new(text.as_bytes().to_vec());
    let mut source = TextSource::from_reader("x", reader, &options).map_err(|e| e.to_string())?;
    CrossTab::build(brief, &mut source).map_err(|e| e.to_string())
}

/// A number of up to 14 digits, of which some stand after the point, and how it may be written.
fn any_number() -> impl Strategy<Value = (i64, u8, String)> {
    let digits = prop_oneof![-99..100i64, -1_000_000..1_000_000i64, -(10i64.pow(14))..10i64.pow(14)];
    (digits, 0..5u8).prop_map(|(digits, scale)| {
        let text = pivvel::Decimal::new(digits.into(), scale).to_string();
        (digits, scale, text)
    })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    #[test]
    fn numbers_are_read_to_the_last_digit(
        numbers in proptest::collection::vec((any_number(), "[a-z]{0,20}"), 1..40),
        quoted in any::<bool>(),
    ) {
        // 1.000 alone can be read in two ways; another column shows that a point stands before decimals.
        let mut text = "id,note,amount,last,rate\n".to_string();
        for (i, ((_, _, number), note)) in numbers.iter().enumerate() {
            let number = if quoted { format!("\"{number}\"") } else { number.clone() };
            text += &format!("n{i},{note},{number},{number},0.5\n");
        }
        let brief = Brief::new().rows(["id"]).measure(("amount", "sum(amount)")).measure(("last", "max(last)"));
        let crosstab = build(&text, &[], &brief).unwrap();
        let widest = numbers.iter().map(|((_, scale, _), _)| *scale).max().unwrap();
        for (i, ((digits, scale, _), _)) in numbers.iter().enumerate() {
            let exact = i128::from(*digits) * 10i128.pow((widest - scale).into());
            let expected = pivvel::Decimal::new(exact, widest).to_string();
            for measure in ["amount", "last"] {
                let found = crosstab.value(&[&format!("n{i}")], &[], measure).map(|value| value.to_string());
                prop_assert_eq!(found.as_ref(), Some(&expected), "{}", text);
            }
        }
    }

    #[test]
    fn dates_are_read_in_every_order(
        days in proptest::collection::vec((1890..2130i32, 1..=12u32, 1..=28u32), 2..60),
        order in 0..3usize,
    ) {
        let (kind, form): (_, fn(i32, u32, u32) -> String) = [
            ("date(ymd)", (|y, m, d| format!("{y}-{m:02}-{d:02}")) as fn(i32, u32, u32) -> String),
            ("date(dmy)", |y, m, d| format!("{d:02}.{m:02}.{y}")),
            ("date(mdy)", |y, m, d| format!("{m:02}/{d:02}/{y}")),
        ][order];
        let mut text = "id,day\n".to_string();
        // Each twice: one that was met before is read another way.
        for (i, (y, m, d)) in days.iter().chain(&days).enumerate() {
            text += &format!("n{i},{}\n", form(*y, *m, *d));
        }
        let brief = Brief::new().rows(["id"]).columns(["day.year"]).measure(("day", "max(day)"));
        let crosstab = build(&text, &[("day", kind)], &brief).unwrap();
        for (i, (y, m, d)) in days.iter().chain(&days).enumerate() {
            let found = crosstab.value(&[&format!("n{i}")], &[&y.to_string()], "day").map(|day| day.to_string());
            prop_assert_eq!(found, Some(format!("{y}-{m:02}-{d:02}")));
        }
    }
}

/// What looks like a number of the usual length and is none.
#[test]
fn what_is_no_number_is_told() {
    for wrong in
        ["1a.00", "--1.00", "1.0.0", "1-2.00", "12.0-0", "1:3.00", "1/3.00", "٣.00", "1.0é", "0x1.00"]
    {
        let text = format!("id,note,amount\na,some text before it,12.34\nb,some text before it,{wrong}\n");
        let brief = Brief::new().rows(["id"]).measure(("amount", "sum(amount)"));
        let error = build(&text, &[("amount", "decimal(2)")], &brief).err().unwrap_or_default();
        assert!(error.contains(wrong) && error.contains("line 3"), "{wrong}: {error}");
    }
}

/// A stream cannot be read a second time for numbers that need more room than the first ones did.
#[test]
fn longer_numbers_in_a_stream_are_told() {
    let text = format!("id,amount\n{}a,{}.25\n", "a,1.25\n".repeat(60_000), "9".repeat(30));
    let brief = Brief::new().rows(["id"]).measure(("amount", "sum(amount)"));
    let error = build(&text, &[], &brief).err().unwrap_or_default();
    let told =
        "hold numbers of 2 decimals, later ones such of more than 18 digits; give it the kind decimal(2)";
    assert!(error.contains("line 60002") && error.contains(told), "{error}");
}
