//! Every notice has a case in which it appears, and one close to it in which it does not.

use pivvel::brief::BadValues;
use pivvel::result::NoticeCode;
use pivvel::source::{ReadOptions, Related, TextSource};
use pivvel::{CrossTab, Notice, brief};

const LINES: &str = "coast,harbour,day,scenario,amount,cost\nFell,Pellam,2024-05-01,actual,10.00,4\nFell,Quay,2024-05-02,plan,8.00,3\n\
                     Skerry,Holm,2025-05-01,actual,6.00,\n";
const SALES: &str = "rows = [\"coast\"]\n[measures]\nsales = \"sum(amount)\"\n";

fn notices(brief: &str, lines: &str) -> Vec<Notice> {
    let brief = brief::from_toml("brief.toml", brief).unwrap_or_else(|error| panic!("{error}\n{brief}"));
    let options = ReadOptions::default().kinds(brief.get_kinds().to_vec()).bad_values(brief.get_bad_values());
    let read = |text: &str| {
        let text = std::io::Cursor::new(text.as_bytes().to_vec());
        Box::new(TextSource::from_reader("lines.csv", text, &options).unwrap())
    };
    let mut source: Box<dyn pivvel::source::LineSource> = read(lines);
    for related in brief.get_related() {
        let table = read("coast,area\nFell,north\n");
        source = Box::new(Related::new(source, related.get_name(), table, related.get_keys()).unwrap());
    }
    CrossTab::build(&brief, source.as_mut()).unwrap_or_else(|error| panic!("{error}\n{brief:?}")).notices()
}

/// A code, a brief and lines with this notice, and a brief and lines without it.
type Case = (NoticeCode, String, &'static str, String, &'static str);

fn cases() -> Vec<Case> {
    use NoticeCode::*;
    let sales = |more: &str| format!("{more}\n{SALES}");
    let after = |more: &str| format!("{SALES}{more}\n");
    let fiscal = |case: &str| {
        let along =
            format!("{SALES}so_far = \"running(sales along fiscal)\"\n[derived]\nfiscal = \"{case}\"\n");
        along.replace("[\"coast\"]", "[\"fiscal\"]")
    };
    let blank_line = "coast,harbour,day,scenario,amount,cost\nFell,Pellam,2024-05-01,actual,10.00,4\n,,,,,\nSkerry,Holm,2025-05-01,actual,6.00,1\n";
    vec![
        (LinesExcluded, sales("where = \"scenario = 'actual'\""), LINES, sales("where = \"amount > 0\""), LINES),
        (ConditionBlank, sales("where = \"cost > 1\""), LINES, sales("where = \"amount > 1\""), LINES),
        (EmptyResult, sales("where = \"amount > 100\""), LINES, sales("where = \"amount > 9\""), LINES),
        (EmptyLines, SALES.into(), blank_line, SALES.into(), LINES),
        (
            BadValues,
            sales("bad_values = \"blank\"\nkinds = { amount = \"decimal(2)\" }"),
            "coast,amount\nFell,1.00\nSkerry,none\n",
            sales("bad_values = \"blank\"\nkinds = { amount = \"decimal(2)\" }"),
            "coast,amount\nFell,1.00\nSkerry,2.00\n",
        ),
        (ZeroDivision, after("ratio = \"sales / (sales - sales)\""), LINES, after("ratio = \"sales / (sales + sales)\""), LINES),
        (
            Unmatched,
            sales("related = { areas = { source = \"x\", key = \"coast\" } }").replace("\"coast\"]", "\"area\"]"),
            LINES,
            sales("related = { areas = { source = \"x\", key = \"coast\" } }").replace("\"coast\"]", "\"area\"]"),
            "coast,amount\nFell,1.00\n",
        ),
        (BlankMembers, SALES.into(), "coast,amount\nFell,1\n,2\n", SALES.into(), "coast,amount\nFell,1\nSkerry,2\n"),
        (
            MembersNotShown,
            after("[dimensions.coast]\ntop = { count = 1, by = \"sales\" }"),
            LINES,
            after("[dimensions.coast]\ntop = { count = 2, by = \"sales\" }"),
            LINES,
        ),
        (
            ItemLacks,
            after("[[items]]\ndimension = \"coast\"\nname = \"both\"\nformula = \"Fell + Skerry\"\n[dimensions.coast]\ntop = { count = 1, by = \"sales\", others = \"rest\" }"),
            LINES,
            after("[[items]]\ndimension = \"coast\"\nname = \"both\"\nformula = \"Fell + Skerry\"\n[dimensions.coast]\ntop = { count = 1, by = \"sales\" }"),
            LINES,
        ),
        (UnknownMember, sales("where = \"scenario = 'actaul'\""), LINES, sales("where = \"scenario = 'actual'\""), LINES),
        (
            UnknownMember,
            after("part = \"sum(amount where harbour in ('Pellam', 'Quai'))\""),
            LINES,
            after("part = \"sum(amount where harbour in ('Pellam', 'Quay') and not harbour = '')\""),
            LINES,
        ),
        (
            UnknownMember,
            after("[dimensions.coast]\nonly = [\"Fel\"]"),
            LINES,
            after("[dimensions.coast]\nonly = [\"Fell\"]"),
            LINES,
        ),
        (NotInLayout, after("[dimensions.harbour]\nlabel = \"H\""), LINES, after("[dimensions.coast]\nlabel = \"H\""), LINES),
        (
            NotInLayout,
            after("[dimensions.harbour]\nlabel = \"H\""),
            LINES,
            after("[dimensions.harbour]\nlabel = \"H\"\n[[views]]\nas = \"bars\"\nrows = [\"harbour\"]"),
            LINES,
        ),
        (
            NotUsed,
            after("[[emphasis]]\non = \"slaes\"\nas = \"tint\""),
            LINES,
            after("[[emphasis]]\non = \"sales\"\nas = \"tint\""),
            LINES,
        ),
        (
            NotUsed,
            after("[[emphasis]]\non = \"coast\"\nas = \"link\"\nlink = \"https://example.test/{harbour}\""),
            LINES,
            after("[[emphasis]]\non = \"coast\"\nas = \"link\"\nlink = \"https://example.test/{coast}\""),
            LINES,
        ),
        (
            RuleGap,
            after("[[emphasis]]\non = \"sales\"\nas = \"ink\"\nrules = [{ below = 5, show = \"loss\" }, { from = 7, show = \"gain\" }]"),
            LINES,
            after("[[emphasis]]\non = \"sales\"\nas = \"ink\"\nrules = [{ below = 5, show = \"loss\" }, { from = 5, show = \"gain\" }]"),
            LINES,
        ),
        (
            Mixed,
            after("[[emphasis]]\non = \"sales\"\nas = \"bar\"\nhigh = 20").replace("[\"coast\"]", "[\"coast\", \"harbour\"]"),
            LINES,
            after("[[emphasis]]\non = \"sales\"\nas = \"bar\"\nhigh = 20\nlevels = [\"coast\", \"harbour\"]")
                .replace("[\"coast\"]", "[\"coast\", \"harbour\"]"),
            LINES,
        ),
        (
            Mixed,
            // A blank before a formula changes nothing.
            after("[[emphasis]]\non = \"sales\"\nas = \"bar\"\nhigh = 20").replace("[\"coast\"]", "[\"coast\", \"harbour\"]").replace("\"sum", "\" sum"),
            LINES,
            after("[[emphasis]]\non = \"sales\"\nas = \"bar\"\nhigh = 20").replace("[\"coast\"]", "[\"coast\", \"harbour\"]").replace("\"sum", "\" mean"),
            LINES,
        ),
        (
            UnusedMeasure,
            after("cost = { formula = \"sum(cost)\", hidden = true }"),
            LINES,
            after("cost = { formula = \"sum(cost)\", hidden = true }\n[[views]]\nas = \"bars\"\nmeasures = [\"cost\"]"),
            LINES,
        ),
        (
            FiguresHidden,
            after("[[emphasis]]\non = \"sales\"\nas = \"bar\"\nfigure = \"hidden\""),
            LINES,
            after("[[emphasis]]\non = \"sales\"\nas = \"bar\""),
            LINES,
        ),
        (BlankMeasure, after("none = \"sales at level coast at parent\"").replace("[\"coast\"]", "[]").replace("sales at level coast at parent", "sales at parent"), LINES, after("none = \"sales at parent\""), LINES),
        (
            MixedTotal,
            after("[[items]]\ndimension = \"scenario\"\nname = \"variance\"\nformula = \"actual - plan\"").replace("rows", "columns = [\"scenario\"]\nrows"),
            LINES,
            after("[totals]\n\"row total\" = \"off\"\n[[items]]\ndimension = \"scenario\"\nname = \"variance\"\nformula = \"actual - plan\"")
                .replace("rows", "columns = [\"scenario\"]\nrows"),
            LINES,
        ),
        (
            ItemAddsUp,
            after("mean = \"mean(amount)\"\n[[items]]\ndimension = \"coast\"\nname = \"both\"\nformula = \"Fell + Skerry\"\napply = \"after measures\""),
            LINES,
            after("mean = \"mean(amount)\"\n[[items]]\ndimension = \"coast\"\nname = \"both\"\nformula = \"Fell + Skerry\""),
            LINES,
        ),
        (
            SameName,
            after("[[items]]\ndimension = \"coast\"\nname = \"Fell\"\nformula = \"Skerry * 2\""),
            LINES,
            after("[[items]]\ndimension = \"coast\"\nname = \"Fells\"\nformula = \"Skerry * 2\""),
            LINES,
        ),
        (
            NotInLayout,
            after("[totals]\ncoast = \"after\""),
            LINES,
            after("[totals]\ncoast = \"after\"").replace("[\"coast\"]", "[\"coast\", \"harbour\"]"),
            LINES,
        ),
        (
            TopKeepsAll,
            after("[dimensions.coast]\ntop = { count = 9, by = \"sales\" }"),
            LINES,
            after("[dimensions.coast]\ntop = { count = 1, by = \"sales\" }"),
            LINES,
        ),
        (
            TopKeepsAll,
            after("[dimensions.harbour]\ntop = { count = 9, by = \"sales\" }").replace("[\"coast\"]", "[\"coast\", \"harbour\"]"),
            LINES,
            after("[dimensions.harbour]\ntop = { count = \"100%\", by = \"sales\" }").replace("[\"coast\"]", "[\"coast\", \"harbour\"]"),
            LINES,
        ),
        (Source, SALES.into(), "coast,,amount\nFell,x,1\n", SALES.into(), "coast,note,amount\nFell,x,1\n"),
        (Source, SALES.into(), "coast,amount,amount\nFell,1,2\n", SALES.into(), "coast,amount,Amount\nFell,1,2\n"),
        (TotalLine, SALES.into(), "coast,amount\nFell,1\nSkerry,2\nTotal,3\n", SALES.into(), "coast,amount\nFell,1\nSkerry,2\nHolm,3\n"),
        (TitleName, sales("title = \"Sales of {year}\""), LINES, sales("title = \"Sales of {period}\""), LINES),
        (
            NoPeriods,
            fiscal("case when amount > 8 then 'FY24' else 'FY23' end"),
            LINES,
            fiscal("case when amount > 8 then 'old' else 'new' end"),
            LINES,
        ),
        (
            NoEffect,
            after("[dimensions.coast]\norder = \"sales at day.year '2024' at scenario 'none'\"").replace("rows", "columns = [\"day.year\", \"scenario\"]\nrows"),
            LINES,
            after("[dimensions.coast]\norder = \"sales at day.year '2024' desc\"").replace("rows", "columns = [\"day.year\", \"scenario\"]\nrows"),
            LINES,
        ),
    ]
}

#[test]
fn each_notice_appears_where_it_holds_and_only_there() {
    for (code, brief, lines, other, others) in cases() {
        let codes = |notices: Vec<Notice>| {
            notices.iter().map(|notice| (notice.code(), notice.to_string())).collect::<Vec<_>>()
        };
        let found = codes(notices(&brief, lines));
        assert!(
            found.iter().any(|(found, _)| *found == code),
            "{} is missing: {found:?}\n{brief}",
            code.name()
        );
        let found = codes(notices(&other, others));
        assert!(
            !found.iter().any(|(found, _)| *found == code),
            "{} is false: {found:?}\n{other}",
            code.name()
        );
    }
}

/// Every code has a case; those of floating-point columns and of kept scales need more than lines of text.
#[test]
fn every_code_has_a_case() {
    let cases = cases();
    for code in NoticeCode::ALL {
        // Colours are the business of views, and have their cases there.
        let elsewhere = matches!(
            code,
            NoticeCode::NotFinite | NoticeCode::KeptScale | NoticeCode::TimeZone | NoticeCode::Colours
        );
        assert!(elsewhere || cases.iter().any(|(known, ..)| known == code), "{}", code.name());
    }
}

/// Every code has its row in the document.
#[test]
fn codes_are_documented() {
    let document =
        std::fs::read_to_string(concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/notices.md")).unwrap();
    for code in NoticeCode::ALL {
        assert!(document.contains(&format!("| `{}` |", code.name())), "{}", code.name());
    }
}

/// A brief's own notice of blanked values counts them.
#[test]
fn blanked_values_are_counted() {
    let brief =
        brief::from_toml("b", &format!("bad_values = \"blank\"\nkinds = {{ amount = \"whole\" }}\n{SALES}"))
            .unwrap();
    assert_eq!(brief.get_bad_values(), BadValues::Blank);
    let found = notices(
        &format!("bad_values = \"blank\"\nkinds = {{ amount = \"whole\" }}\n{SALES}"),
        "coast,amount\nFell,1\nSkerry,x\nSkerry,y\n",
    );
    assert!(
        found.iter().any(|notice| notice.text() == "2 values taken as blank: not of the column's kind"),
        "{found:?}"
    );
}

/// Values of a related table that are blanked are counted, too.
#[test]
fn blanked_values_of_a_related_table_are_counted() {
    let lines = "coast,amount\nFell,1\nSkerry,2\n";
    for (table, blanked) in
        [("coast,berths\nFell,3\nSkerry,4\n", false), ("coast,berths\nFell,3\nSkerry,few\n", true)]
    {
        let read = |text: &str| {
            let options = ReadOptions::default()
                .kinds(if text == table { vec![("berths".into(), "whole".into())] } else { Vec::new() })
                .bad_values(BadValues::Blank);
            let text = std::io::Cursor::new(text.as_bytes().to_vec());
            Box::new(TextSource::from_reader("lines.csv", text, &options).unwrap())
        };
        let mut source =
            Related::new(read(lines), "coasts", read(table), &[("coast".into(), "coast".into())]).unwrap();
        let brief = pivvel::Brief::new().measure(("berths", "sum(berths)"));
        let found = CrossTab::build(&brief, &mut source).unwrap().notices();
        assert_eq!(found.iter().any(|notice| notice.code() == NoticeCode::BadValues), blanked, "{found:?}");
    }
}
