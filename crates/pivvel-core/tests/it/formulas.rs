//! Formulas as text and as trees.

use arrow_schema::{DataType, Field, Schema};
use pivvel_core::formula::{Clause, Expr, Group, Name, Node, Operator, Place, Ties};
use pivvel_core::plan::Plan;
use pivvel_core::{Brief, Decimal, formula};
use proptest::prelude::*;

fn parse(text: &str) -> Result<Expr, String> {
    formula::parse("m", text).map_err(|e| e.to_string())
}

/// What is printed is what is meant, with as few brackets as that allows.
#[test]
fn texts_print_in_one_form() {
    let cases = [
        ("sum( amount )", "sum(amount)"),
        ("a+b*c", "a + b * c"),
        ("(a+b)*c", "(a + b) * c"),
        ("a-(b-c)", "a - (b - c)"),
        ("(a-b)-c", "a - b - c"),
        ("-(a+b)", "-(a + b)"),
        ("25%", "0.25"),
        ("'it''s'", "'it''s'"),
        ("\"unit price\" * quantity", "\"unit price\" * quantity"),
        ("\"amount\"", "amount"),
        ("sold_on.quarter = '2025-Q1'", "sold_on.quarter = '2025-Q1'"),
        ("not a = b and c != d or e", "not a = b and c <> d or e"),
        ("a and (b or c)", "a and (b or c)"),
        ("not (a and b)", "not (a and b)"),
        ("a not in (1,2) and b is not blank", "not a in (1, 2) and not b is blank"),
        ("a between 1 and 2 or not b between c+1 and d", "a between 1 and 2 or not b between c + 1 and d"),
        ("case when a>1 then b when c then d else e end", "case when a > 1 then b when c then d else e end"),
        ("sales/sales at parent", "sales / sales at parent"),
        ("(sales+cost) at scenario 'plan' at row total", "(sales + cost) at scenario 'plan' at row total"),
        ("-sales at grand total", "-sales at grand total"),
        ("(-sales) at column parent", "(-sales) at column parent"),
        ("sales at sold_on.year 2025", "sales at sold_on.year '2025'"),
        (
            "sales at previous quarter - sales at same quarter previous year",
            "sales at previous quarter - sales at same quarter previous year",
        ),
        ("sales at first month of all", "sales at first month of all"),
        ("sales at level 'x'", "sales at level 'x'"),
        (
            "rank(sales lowest first ties mean among column siblings)",
            "rank(sales among column siblings lowest first ties mean)",
        ),
        ("mean(sum(amount) per client,order where a=b)", "mean(sum(amount) where a = b per client, order)"),
        ("count(where a)", "count(where a)"),
        ("moving(mean sales along month over 3)", "moving(mean sales over 3 along month)"),
        ("running(sales along sold_on.month throughout)", "running(sales along sold_on.month throughout)"),
        ("first(price by sold_on)", "first(price by sold_on)"),
    ];
    for (text, printed) in cases {
        let expr = parse(text).unwrap();
        assert_eq!(expr.to_string(), printed);
        assert_eq!(parse(printed).unwrap(), expr, "{text}");
    }
}

/// Every wrong text has one message, with the spot marked.
#[test]
fn wrong_texts_mark_the_spot() {
    let cases = [
        ("", "the formula ends where a name, a number or a text is expected", 0),
        ("sum(amount", "this bracket is not closed", 3),
        ("a + ", "the formula ends where a name, a number or a text is expected", 4),
        ("a == b", "a name, a number or a text is expected here, not =", 3),
        ("a b", "an operator is missing before this", 2),
        ("a < b < c", "comparisons do not chain; join two of them with and", 6),
        ("'open", "this ' is not closed", 0),
        ("1.2.3", "this is not a number; write it like 1250 or 12.50 or 25%", 0),
        ("and a", "and joins two conditions; one is missing before it", 0),
        ("a)", "this bracket closes nothing", 1),
        ("a ; b", "; has no meaning here", 2),
        ("-not a", "not turns a whole condition round; put it into brackets", 1),
        ("a = not b", "not turns a whole condition round; put it into brackets", 4),
    ];
    for (text, message, at) in cases {
        let error = parse(text).unwrap_err();
        let lines: Vec<&str> = error.lines().collect();
        assert_eq!(lines[0], format!("m: {message}"), "{text}");
        assert_eq!(lines[2].find('^'), Some(4 + at), "{error}");
    }
}

#[test]
fn size_and_depth_are_limited() {
    for (open, close) in [("(", ")"), ("-", ""), ("not ", ""), ("f(", ")")] {
        let text = format!("{}a{}", open.repeat(4_000), close.repeat(4_000));
        assert!(parse(&text).unwrap_err().contains("a formula may be 60 levels deep"), "{open}");
    }
    assert!(parse(&"a+".repeat(400)).unwrap_err().contains("a formula may chain 200 operators"));
    assert!(parse(&"a".repeat(30_000)).unwrap_err().contains("a formula may be 20000 bytes long"));
}

fn name() -> BoxedStrategy<Name> {
    let base = prop_oneof![
        "[a-z_][a-z0-9_]{0,3}",
        "[a-zA-Z \".%']{1,4}",
        Just("and".into()),
        Just("previous".into())
    ];
    (base, proptest::option::of("[a-z]{1,4}")).prop_map(|(base, part)| Name::new(base, part)).boxed()
}

fn place() -> BoxedStrategy<Place> {
    prop_oneof![
        Just(Place::Parent),
        Just(Place::ColumnParent),
        Just(Place::RowTotal),
        Just(Place::ColumnTotal),
        Just(Place::GrandTotal),
        name().prop_map(Place::Level),
        (name(), "[a-z' é0-9]{0,4}").prop_map(|(name, label)| Place::Member(name, label)),
        (name(), any::<bool>()).prop_map(|(name, back)| Place::Shifted(name, if back { -1 } else { 1 })),
        name().prop_map(Place::YearBefore),
        (name(), any::<bool>(), any::<bool>()).prop_map(|(along, last, of_all)| Place::End {
            along,
            last,
            of_all
        }),
    ]
    .boxed()
}

/// Clauses in their order, each at most once.
fn clauses(inner: BoxedStrategy<Expr>) -> BoxedStrategy<Vec<Clause>> {
    use proptest::option::weighted;
    let of_lines = (
        weighted(0.2, inner.clone().prop_map(|e| Clause::Where(Box::new(e)))),
        weighted(0.1, inner.clone().prop_map(|e| Clause::WeightedBy(Box::new(e)))),
        weighted(0.1, inner.prop_map(|e| Clause::By(Box::new(e)))),
        weighted(0.1, proptest::collection::vec(name(), 1..3).prop_map(Clause::Per)),
    );
    let group = [Group::Siblings, Group::ColumnSiblings, Group::Level, Group::Row, Group::Column];
    let ties = [Ties::Low, Ties::High, Ties::Mean, Ties::Dense, Ties::Order];
    let of_cells = (
        weighted(0.1, (1..9u32).prop_map(Clause::Over)),
        weighted(0.1, (name(), any::<bool>()).prop_map(|(name, on)| Clause::Along(name, on))),
        weighted(0.1, prop::sample::select(group.to_vec()).prop_map(Clause::Among)),
        weighted(0.1, Just(Clause::LowestFirst)),
        weighted(0.1, prop::sample::select(ties.to_vec()).prop_map(Clause::Ties)),
    );
    (of_lines, of_cells)
        .prop_map(|((a, b, c, d), (e, f, g, h, i))| {
            [a, b, c, d, e, f, g, h, i].into_iter().flatten().collect()
        })
        .boxed()
}

fn tree() -> BoxedStrategy<Expr> {
    let leaf = prop_oneof![
        (0..1_000_000i128, 0..6u8).prop_map(|(digits, scale)| Node::Number(Decimal::new(digits, scale))),
        "[a-z' é]{0,5}".prop_map(Node::Text),
        Just(Node::Blank),
        name().prop_map(Node::Name),
    ]
    .prop_map(Expr::from);
    leaf.prop_recursive(4, 30, 3, |inner| {
        use Operator::*;
        let operators = [
            Add, Subtract, Multiply, Divide, Equal, NotEqual, Less, LessOrEqual, Greater, GreaterOrEqual, And, Or,
        ];
        let one = || inner.clone().prop_map(Box::new);
        let pair = (prop::sample::select(operators.to_vec()), one(), one());
        let several = proptest::collection::vec(inner.clone(), 0..3);
        let branches = proptest::collection::vec((inner.clone(), inner.clone()), 1..3);
        let call = (prop::sample::select(vec!["sum", "rank", "f"]), several, clauses(inner.clone().boxed()));
        let moving = (prop::sample::select(vec!["mean", "sum"]), inner.clone(), name());
        prop_oneof![
            4 => pair.prop_map(|(operator, a, b)| Node::Binary(operator, a, b)),
            1 => one().prop_map(Node::Negate),
            1 => one().prop_map(Node::Not),
            1 => one().prop_map(Node::IsBlank),
            1 => (one(), one(), one()).prop_map(|(a, b, c)| Node::Between(a, b, c)),
            1 => (one(), proptest::collection::vec(inner.clone(), 1..3)).prop_map(|(a, list)| Node::In(a, list)),
            1 => (branches, proptest::option::of(one())).prop_map(|(branches, otherwise)| Node::Case { branches, otherwise }),
            2 => call.prop_map(|(function, arguments, clauses)| {
                // Only a condition can stand where nothing is before it.
                let clauses = clauses.into_iter().filter(|c| !arguments.is_empty() || matches!(c, Clause::Where(_)));
                Node::Call { function: function.into(), clauses: clauses.collect(), arguments }
            }),
            1 => moving.prop_map(|(aggregate, value, along)| Node::Call {
                function: "moving".into(),
                arguments: vec![Node::Name(Name::new(aggregate, None)).into(), value],
                clauses: vec![Clause::Over(3), Clause::Along(along, false)],
            }),
            2 => (one(), place()).prop_map(|(value, place)| Node::At(value, place)),
        ]
        .prop_map(Expr::from)
        .boxed()
    })
    .boxed()
}

/// Pieces that formulas are made of, put together at random.
fn pieces() -> impl Strategy<Value = String> {
    let words = [
        "sum(",
        "mean(",
        "rank(",
        "moving(",
        "amount",
        "yard",
        "sold_on.month",
        "sales",
        " at ",
        "parent",
        " per ",
        " among ",
        "siblings",
        " where ",
        " in (",
        " between ",
        " and ",
        " is blank",
        "case when ",
        " then ",
        " else ",
        " end",
        "'x'",
        "25%",
        "1.5",
        " + ",
        " / ",
        " = ",
        ")",
        ",",
        " along month",
        " over 3",
        "previous month",
        "scenario 'a'",
        "not ",
        "(",
    ];
    proptest::collection::vec(prop::sample::select(words.to_vec()), 1..14).prop_map(|words| words.concat())
}

proptest! {
    /// Printing and reading gives the same tree, whatever the tree.
    #[test]
    fn trees_survive_printing(tree in tree()) {
        let text = tree.to_string();
        prop_assert_eq!(parse(&text), Ok(tree), "{}", text);
    }

    /// Any text at all is read or refused.
    #[test]
    fn any_text_is_read_or_refused(text in "[a-c0-9 .,+*/()<>='\"%-]{0,40}", any in "\\PC{0,40}", pieces in pieces()) {
        for text in [text, any, pieces] {
            if let Ok(tree) = parse(&text) {
                prop_assert_eq!(parse(&tree.to_string()), Ok(tree));
            }
        }
    }

    /// What can be read becomes a plan or an error, wherever it stands.
    #[test]
    fn any_formula_is_planned_or_refused(text in pieces(), tree in tree()) {
        let text_field = |name: &str| Field::new(name, DataType::Utf8View, true);
        let schema = Schema::new(vec![
            Field::new("amount", DataType::Decimal64(18, 2), true),
            Field::new("sold_on", DataType::Date32, true),
            text_field("yard"),
            text_field("scenario"),
        ]);
        let base = Brief::new().rows(["yard", "sold_on.month"]).columns(["scenario"]).measure(("sales", "sum(amount)"));
        for text in [text, tree.to_string()] {
            let _ = Plan::new(&base.clone().measure(("m", text.as_str())), &schema);
            let _ = Plan::new(&base.clone().filter(text.as_str()), &schema);
            let _ = Plan::new(&base.clone().derive("x", text.as_str()).item("scenario", "i", text.as_str()), &schema);
        }
    }
}

/// The table of functions in the documents is what there is.
#[test]
fn functions_are_documented() {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/formulas.md");
    let document = std::fs::read_to_string(path).unwrap();
    for function in pivvel_core::formula::scalar_functions() {
        let row = format!("| `{}` | {} |\n", function.usage().replace(" or ", "` or `"), function.about());
        assert!(document.contains(&row), "{row}");
    }
}
