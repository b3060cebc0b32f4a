//! What has a name is read by the name that it writes, and a text that is none says which there are.

use std::fmt::{Debug, Display};
use std::str::FromStr;

use pivvel_core::brief::Direction;
use pivvel_core::result::{Audience, AxisSide, DatePart, NoName, NoticeCode};
use pivvel_core::source::Kind;
use pivvel_core::table::Shape;
use pivvel_core::{Error, ErrorKind};

fn check<T: Copy + PartialEq + Debug + Display + FromStr<Err = NoName>>(all: impl IntoIterator<Item = T>) {
    let mut names = Vec::new();
    for one in all {
        let name = one.to_string();
        assert_eq!(name.parse(), Ok(one));
        for wrong in [format!("{name} "), name.to_uppercase(), format!("{name}x"), String::new()] {
            let error = wrong.parse::<T>().unwrap_err();
            assert!(error.text() == wrong && error.to_string().contains(error.what()), "{error}");
        }
        names.push(name);
    }
    let error = "no such name".parse::<T>().unwrap_err();
    let spelled = |name: &String| error.known().contains(&name.as_str()) || name.starts_with("decimal(");
    assert!(names.iter().all(spelled), "{error}: {names:?}");
    assert!(
        matches!(Error::from(error).kind(), ErrorKind::UnknownName { name, .. } if name == "no such name")
    );
}

#[test]
fn names_are_read_back() {
    check(DatePart::ALL.map(|(part, _)| part));
    check(NoticeCode::ALL.iter().copied());
    check(AxisSide::BOTH);
    check([Audience::Author, Audience::Reader]);
    check([Direction::Ascending, Direction::Descending]);
    check([Shape::Tidy, Shape::Cells, Shape::Wide]);
    let decimals = (0..=38).map(|scale| Kind::Decimal { scale });
    check([Kind::Text, Kind::Date, Kind::Whole, Kind::Float, Kind::YesNo].into_iter().chain(decimals));
    for wrong in
        ["decimal", "decimal()", "decimal(-1)", "decimal(2", "decimal(39)", "decimal(256)", "decimal(2) "]
    {
        assert!(wrong.parse::<Kind>().is_err(), "{wrong}");
    }
    assert_eq!(
        Error::from("yar".parse::<DatePart>().unwrap_err()).to_string(),
        "unknown part of a date \"yar\"; did you mean \"year\"?"
    );
}
