//! Formulas as text and as trees.

#![allow(clippy::unwrap_used)]

use pivvel_core::{Expr, Name, Node, Operator, parse_formula};
use proptest::prelude::*;

fn parse(text: &str) -> Result<Expr, String> {
    parse_formula("m", text).map_err(|e| e.to_string())
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

fn tree() -> impl Strategy<Value = Expr> {
    let name = prop_oneof!["[a-z_][a-z0-9_]{0,3}", "[a-zA-Z \".%']{1,4}", Just("and".into())];
    let part = proptest::option::of("[a-z]{1,4}");
    let leaf = prop_oneof![
        (0..1_000_000i128, 0..6u8).prop_map(|(digits, scale)| Node::Number { digits, scale }),
        "[a-z' é]{0,5}".prop_map(Node::Text),
        (name, part).prop_map(|(base, part)| Node::Name(Name { base, part })),
    ]
    .prop_map(Expr::from);
    leaf.prop_recursive(5, 40, 3, |inner| {
        use Operator::*;
        let operators = [
            Add,
            Subtract,
            Multiply,
            Divide,
            Equal,
            NotEqual,
            Less,
            LessOrEqual,
            Greater,
            GreaterOrEqual,
            And,
            Or,
        ];
        let pair = (prop::sample::select(operators.to_vec()), inner.clone(), inner.clone());
        prop_oneof![
            4 => pair.prop_map(|(operator, a, b)| Node::Binary(operator, Box::new(a), Box::new(b)).into()),
            1 => inner.clone().prop_map(|a| Node::Negate(Box::new(a)).into()),
            1 => inner.clone().prop_map(|a| Node::Not(Box::new(a)).into()),
            1 => proptest::collection::vec(inner, 0..3)
                .prop_map(|arguments| Node::Call { function: "sum".into(), arguments, clauses: Vec::new() }.into()),
        ]
    })
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
    fn any_text_is_read_or_refused(text in "[a-c0-9 .,+*/()<>='\"%-]{0,40}", any in "\\PC{0,40}") {
        for text in [text, any] {
            if let Ok(tree) = parse(&text) {
                prop_assert_eq!(parse(&tree.to_string()), Ok(tree));
            }
        }
    }
}
