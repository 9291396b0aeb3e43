//! Filters as text: what parses, what it prints as, and what is wrong with the rest.

use jiff::Timestamp;
use jiff::civil::Date;
use proptest::prelude::*;
use usual_tide::Item;
use usual_tide::query::FilterText;
use usual_tide::record::{FieldName, Record, Schema, parse};

#[derive(Clone, PartialEq, Debug, Item)]
struct Piece {
    #[item(key)]
    id: u32,
    title: String,
    glaze: Option<String>,
    height_mm: Option<i64>,
    weight_kg: f64,
    due: Option<Date>,
    received: Timestamp,
    fired: bool,
    tags: Vec<String>,
}

fn piece() -> Piece {
    Piece {
        id: 7,
        title: "Straße, ΟΔΟΣ and café".into(),
        glaze: None,
        height_mm: Some(120),
        weight_kg: 0.1,
        due: Some("2026-03-05".parse().unwrap()),
        received: "2026-03-01T23:30:00-02:00".parse().unwrap(),
        fired: false,
        tags: vec![],
    }
}

fn text(text: &str) -> FilterText {
    text.parse().unwrap_or_else(|why| panic!("{text}: {why}"))
}

fn test(filter: &str) -> Option<bool> {
    text(filter)
        .check::<Piece>()
        .unwrap_or_else(|why| panic!("{filter}: {why}"))
        .test(&piece())
}

fn refused(filter: &str) -> String {
    match filter.parse::<FilterText>() {
        Err(why) => why.to_string(),
        Ok(text) => text.check::<Piece>().expect_err(filter).to_string(),
    }
}

/// Expressions as the standard's clauses have them, of the classes that are offered.
const EXAMPLES: [&str; 40] = [
    "city='Toronto'",
    "balance-150.0 > 0",
    "updated >= DATE('1999-11-05')",
    "eo:cloud_cover BETWEEN 0.1 AND 0.2 AND landsat:wrs_row=28 AND landsat:wrs_path=203",
    "floors>5",
    "taxes<=500",
    "owner LIKE '%Jones%'",
    "owner LIKE 'Mike%'",
    "owner NOT LIKE '%Mike%'",
    "swimming_pool=true",
    "swimming_pool=true AND (floors>5 OR material LIKE 'brick%' OR material LIKE '%brick')",
    "updated < DATE('2012-08-10') OR (floors>5 AND swimming_pool=true)",
    "NOT (floors<5) OR swimming_pool=true",
    "(owner LIKE 'mike%' OR owner LIKE 'Mike%') AND floors<8",
    "depth BETWEEN 100.0 and 150.0",
    "depth NOT BETWEEN 100.0 and 150.0",
    "cityName IN ('Toronto','Frankfurt','Tokyo','New York')",
    "cityName NOT IN ('Toronto','Frankfurt','Tokyo','New York')",
    "category IN (1,2,3,4)",
    "geophys:SURVEY_NAME IS NULL",
    "geophys:SURVEY_NAME IS NOT NULL",
    "CASEI(road_class) IN (CASEI('Οδος'),CASEI('Straße'))",
    "CASEI(name) LIKE CASEI('FOO%')",
    "ACCENTI(etat_vol) = ACCENTI('débárquér')",
    "CASEI(geophys:SURVEY_NAME) IN (CASEI('A'), ACCENTI(CASEI('Œ')))",
    "vehicle_height > (bridge_clearance-1)",
    "value = 2 * 3 + 4 / 5 - 6 % 7",
    "value = (a + b) * (c - d) ^ 2",
    "value = -foo + -(bar * 2)",
    "n div 5 = 3",
    "TRUE",
    "FALSE OR TRUE",
    "0=(n%2)",
    "event = TIMESTAMP('1969-07-20T20:17:40Z')",
    "event < TIMESTAMP('1969-07-20T20:17:40.250Z')",
    "name = 'O''Neill' AND name <> ''",
    "\"a name with \"\"quotes\"\"\" IS NULL",
    "a=1 OR b=3 AND a=2",
    "NOT a = 1 AND b = 2",
    "5. > .5 AND 1e3 > 1.5E-3",
];

#[test]
fn the_standards_kind_of_expressions_parse_print_and_parse_again() {
    for example in EXAMPLES {
        let parsed = text(example);
        let printed = parsed.to_string();
        assert_eq!(text(&printed), parsed, "{example} printed as {printed}");
    }
    let squeezed = "not(a=1 or(b)=2)and\t\"and\"in(1,\n2)AND-x^2<1";
    let printed = "NOT (a = 1 OR b = 2) AND \"and\" IN (1, 2) AND -x ^ 2 < 1";
    assert_eq!(text(squeezed).to_string(), printed);
}

/// A number with more digits than an exact one has is a float, and stays one when it is written and read again.
#[test]
fn numbers_of_many_digits_are_written_as_what_they_are() {
    let parsed = |filter: &str| text(filter).check::<Piece>().unwrap();
    for filter in [
        "88888 / 888888888888855888855.88888888888888 + 5 = 5",
        "height_mm = 0.12345678901234567890123456789012345 + 1",
        "-1e40 < 1e-40",
        "1.5e-29 + 1 = 1",
        "weight_kg BETWEEN 0.09999999999999999999999999999999 AND 0.25",
        "weight_kg IN (0.1, 0.3)",
    ] {
        let written = parsed(filter).text().unwrap();
        assert_eq!(parsed(&written), parsed(filter), "{written}");
        assert_eq!(
            parsed(&written).test(&piece()),
            parsed(filter).test(&piece()),
            "{written}"
        );
    }
    let written = parsed("weight_kg <= 0.25 AND 0.1 < weight_kg").text();
    assert_eq!(
        written.as_deref(),
        Some("weight_kg <= 0.25 AND 0.1 < weight_kg")
    );
}

#[test]
fn structure_is_as_the_standard_has_it() {
    assert_eq!(text("a=1 OR b=3 AND a=2"), text("a=1 OR (b=3 AND a=2)"));
    assert_eq!(text("NOT a = 1 AND b = 2"), text("(NOT a = 1) AND b = 2"));
    assert_eq!(
        text("a BETWEEN 1 AND 2 AND b = 1"),
        text("(a BETWEEN 1 AND 2) AND b = 1")
    );
    assert_eq!(text("((a)) = ((1))").to_string(), "a = 1");
    assert_eq!(
        text("a = 1 and not (b = 2 or c = TRUE)").to_string(),
        "a = 1 AND NOT (b = 2 OR c = TRUE)"
    );
    for (filter, expected) in [
        ("10 - 3 - 2 = 5", Some(true)),
        ("-2^2 = 4", Some(true)),
        ("2 + 3 * 4 = 14", Some(true)),
        ("7 div -2 = -3 AND 7 % -2 = 1 AND -7 % 2 = -1", Some(true)),
        ("7 / 2 = 3.5 AND 6 / 3 = 2 AND 1 / 3 * 3 <> 2", Some(true)),
        ("1 / 0 = 1", None),
        ("1 % 0 IS NULL AND 1 div 0 IS NULL", Some(true)),
        (
            "170141183460469231731687303715884105727 > 170141183460469231731687303715884105726",
            Some(true),
        ),
        (
            "170141183460469231731687303715884105727 + 1 > 1e38",
            Some(true),
        ),
        ("9007199254740993 = 9007199254740992", Some(false)),
        ("1 = 1.0 AND 1e2 = 100 AND 0.1 + 0.2 = 0.3", Some(true)),
        ("(-8)^0.5 IS NULL", Some(true)),
        ("FALSE < TRUE", Some(true)),
        ("'a' < 'b' AND 'Z' < 'a' AND 'é' > 'z'", Some(true)),
    ] {
        assert_eq!(test(filter), expected, "{filter}");
    }
}

#[test]
fn a_missing_value_is_unknown_and_only_what_is_true_is_selected() {
    for (filter, expected) in [
        ("glaze = 'clear'", None),
        ("glaze <> 'clear'", None),
        ("NOT glaze = 'clear'", None),
        ("glaze LIKE '%'", None),
        ("glaze NOT LIKE '%'", None),
        ("glaze IN ('clear')", None),
        ("glaze NOT IN ('clear')", None),
        ("glaze IS NULL", Some(true)),
        ("height_mm = 120 OR glaze = 'clear'", Some(true)),
        ("glaze = 'clear' OR height_mm = 120", Some(true)),
        ("glaze = 'clear' OR height_mm = 121", None),
        ("glaze = 'clear' AND height_mm = 121", Some(false)),
        ("glaze = 'clear' AND height_mm = 120", None),
        ("title IN (glaze, 'x')", None),
        ("'x' IN (glaze, 'x')", Some(true)),
        ("height_mm BETWEEN 100 AND 130", Some(true)),
        ("height_mm BETWEEN 130 AND 100", Some(false)),
        ("height_mm NOT BETWEEN 130 AND 100", Some(true)),
        ("title BETWEEN 'A' AND glaze", None),
        ("title BETWEEN 'Z' AND glaze", Some(false)),
        ("CASEI(glaze) = 'x'", None),
    ] {
        assert_eq!(test(filter), expected, "{filter}");
    }
}

#[test]
fn text_dates_and_floats_compare_as_people_mean_it() {
    for filter in [
        "CASEI(title) LIKE CASEI('%STRASSE, οδος%')",
        "ACCENTI(title) LIKE '%cafe'",
        "CASEI(ACCENTI(title)) LIKE CASEI(ACCENTI('%CAFÉ'))",
        "title NOT LIKE '%STRASSE%'",
        "title LIKE 'S____e,%'",
        "'50%' LIKE '50\\%' AND '50x' NOT LIKE '50\\%' AND 'a_b' LIKE 'a\\_b' AND 'a\\b' LIKE 'a\\\\b'",
        "'a\\b' = 'a\\b'",
        "'ab' LIKE '%a%b%' AND '' LIKE '%' AND 'a' LIKE '_' AND 'ab' NOT LIKE '_' AND '' NOT LIKE '_'",
        "due = DATE('2026-03-05') AND due < DATE('2026-03-06')",
        "received = TIMESTAMP('2026-03-02T01:30:00Z')",
        "received >= DATE('2026-03-02') AND received <= DATE('2026-03-02')",
        "due > TIMESTAMP('2026-03-04T23:59:59Z')",
        "due BETWEEN DATE('2026-03-01') AND DATE('2026-03-31')",
        "weight_kg = 0.1 AND weight_kg IN (0.1, 2)",
        "fired = FALSE AND fired < TRUE",
    ] {
        assert_eq!(test(filter), Some(true), "{filter}");
    }
}

#[test]
fn what_is_wrong_is_told_with_its_column() {
    for (filter, told) in [
        ("", "column 1: expected a field or a value, found the end"),
        (
            "title =",
            "column 8: expected a field or a value, found the end",
        ),
        (
            "fired",
            "column 1: fired is a value, not a condition: write fired = TRUE, or compare it with a value",
        ),
        (
            "id = 1 AND fired",
            "column 12: fired is a value, not a condition: write fired = TRUE, or compare it with a value",
        ),
        (
            "id + 1",
            "column 1: id + 1 is a value, not a condition: compare it with something",
        ),
        ("id != 1", "column 4: != is no operator: write <>"),
        ("id == 1", "column 4: == is no operator: write ="),
        (
            "glaze = NULL",
            "column 9: NULL is no value to compare with: write IS NULL",
        ),
        (
            "id IN ()",
            "column 8: the list of IN is empty: give it at least one value",
        ),
        ("id IN 1", "column 7: expected a list in brackets, found 1"),
        (
            "id IN (1, 2",
            "column 12: expected a comma or the closing bracket of the list, found the end",
        ),
        (
            "title LIKE glaze",
            "column 12: the pattern of LIKE is no text: write it as text in single quotes",
        ),
        (
            "1 < id < 3",
            "column 8: expected AND, OR or the end, found \"<\"",
        ),
        (
            "(id = 1) = TRUE",
            "column 1: there is a condition where a value is expected: conditions do not chain, join them with AND or OR",
        ),
        (
            "NOT NOT id = 1",
            "column 5: NOT after NOT: put brackets around the second",
        ),
        (
            "id BETWEEN 1 OR 2",
            "column 14: expected AND and the upper bound, found OR",
        ),
        ("id IS 1", "column 7: expected NULL or NOT NULL, found 1"),
        (
            "id NOT 1",
            "column 8: expected LIKE, BETWEEN or IN, found 1",
        ),
        (
            "title = 'open",
            "column 9: the single quote that opens here is not closed",
        ),
        (
            "\"open = 1",
            "column 1: the double quote that opens here is not closed",
        ),
        (
            "é = 'a' AND id = 1andid = 2",
            "column 18: \"1andid\" is not a number",
        ),
        ("id = 1 # 2", "column 8: '#' has no meaning in a filter"),
        (
            "(id = 1",
            "column 8: expected a closing bracket, found the end",
        ),
        (
            "id = 1)",
            "column 7: expected AND, OR or the end, found \")\"",
        ),
        (
            "due = DATE('2026-02-30')",
            "column 12: \"2026-02-30\" is not a date such as 2026-03-05",
        ),
        (
            "received = TIMESTAMP('2026-03-01T09:30:00+01:00')",
            "column 22: \"2026-03-01T09:30:00+01:00\" is not a date and time such as 2026-03-05T14:30:00Z",
        ),
        (
            "S_INTERSECTS(title, 'x') = TRUE",
            "column 1: S_INTERSECTS is no function here: there are CASEI, ACCENTI, DATE and TIMESTAMP; spatial, array and interval functions are not offered",
        ),
        (
            "heigth_mm > 3",
            "column 1: there is no field \"heigth_mm\": did you mean \"height_mm\"?",
        ),
        ("id = 1 OR qqq = 3", "column 11: there is no field \"qqq\""),
        (
            "Title = 'x'",
            "column 1: there is no field \"Title\": did you mean \"title\"?",
        ),
        (
            "title > 3",
            "column 9: text cannot be compared with a number",
        ),
        (
            "due = '2026-03-05'",
            "column 7: a date such as 2026-03-05 cannot be compared with text",
        ),
        (
            "id IN (1, 'a')",
            "column 11: a whole number cannot be compared with text",
        ),
        (
            "title + 1 = 2",
            "column 1: a number is needed here, and this is text",
        ),
        (
            "CASEI(id) = 'x'",
            "column 7: text is needed here, and this is a whole number",
        ),
        (
            "tags = 'x'",
            "column 8: a list cannot be compared with text",
        ),
        (
            "2^3^4 = 1",
            "column 4: ^ after ^: put brackets around one of them",
        ),
        ("id = 1e999", "column 6: \"1e999\" is not a number"),
    ] {
        assert_eq!(refused(filter), told, "{filter}");
    }
}

#[test]
fn hostile_text_is_refused_and_long_text_is_not() {
    let deep = format!("{}id = 1{}", "(".repeat(10_000), ")".repeat(10_000));
    assert_eq!(refused(&deep), "column 34: nested more than 32 deep");
    let deep = format!(
        "{}title{} = 'x'",
        "CASEI(".repeat(10_000),
        ")".repeat(10_000)
    );
    assert!(refused(&deep).ends_with("nested more than 32 deep"));
    let deep = format!("id = {}1", "-(".repeat(10_000));
    assert!(refused(&deep).ends_with("nested more than 32 deep"));
    assert!(refused(&"(".repeat(31)).contains("found the end"));
    for bad in [
        "'".repeat(9_999),
        "\"".repeat(9_999),
        "-".repeat(10_000),
        "NOT ".repeat(10_000),
        "1".repeat(10_000) + "x",
    ] {
        assert!(!refused(&bad).is_empty());
    }
    // Long, but not deep: no stack is needed for it.
    let long = vec!["id = 1"; 20_000].join(" OR ");
    assert_eq!(text(&text(&long).to_string()), text(&long));
    let sum = vec!["1"; 20_000].join(" + ");
    assert_eq!(test(&format!("{sum} = 20000")), Some(true));
    let digits = "9".repeat(400);
    assert!(refused(&format!("id = {digits}")).contains("is not a number"));
    let slow = format!("'{}' LIKE '{}b'", "a".repeat(5_000), "%a".repeat(200));
    assert_eq!(test(&slow), Some(false));
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(crate::cases(300)) })]

    /// Whatever is typed, there is an answer and no panic; what parses prints as what parses to the same.
    #[test]
    fn any_text_gets_an_answer(
        parts in prop::collection::vec(
            prop_oneof![
                prop::sample::select(vec![
                    "AND", "or", "NOT", "LIKE", "BETWEEN", "IN", "IS", "NULL", "TRUE", "false", "div", "CASEI(",
                    "ACCENTI(", "DATE(", "(", ")", ",", "=", "<>", "<", ">=", "+", "-", "*", "/", "%", "^", "title",
                    "id", "fired", "\"title\"", "'x%'", "'2026-03-05'", "1", "2.50", ".5e3", "!=", "é", "'", "\"",
                ]).prop_map(str::to_owned),
                ".{0,3}",
            ],
            0..14,
        ),
        gaps in any::<bool>(),
    ) {
        let typed = parts.join(if gaps { " " } else { "" });
        if let Ok(parsed) = typed.parse::<FilterText>() {
            let printed = parsed.to_string();
            let again: FilterText = printed.parse().map_err(|why| {
                TestCaseError::fail(format!("{typed} printed as {printed}: {why}"))
            })?;
            prop_assert_eq!(again, parsed, "{}", printed);
        }
    }
}

#[test]
fn records_are_filtered_by_what_their_fields_hold() {
    let records = parse(
        r#"[{"id": 1, "fee": {"amount": "4.50"}, "due": "2026-03-05", "at": "2026-03-01T09:30:00+02:00", "n": 1},
            {"id": 2, "fee": {"amount": "12.00"}, "due": null, "at": "2026-03-01T08:00:00Z", "n": "x", "a.b": 7},
            {"id": 3, "fee": {}, "n": 2.50, "size": {"w": 1}, "tags": ["a"]}]"#,
        &FieldName::parse("id").unwrap(),
    );
    let records: Vec<Record> = records.unwrap();
    let mut schema = Schema::infer(&records);
    let told: Vec<String> = schema
        .fields()
        .map(|(name, kind)| format!("{name}: {kind:?}"))
        .collect();
    let expected = [
        "id: Integer",
        "fee.amount: Text",
        "due: Date",
        "at: Timestamp",
        "n: Any",
        "a.b: Integer",
        "size.w: Integer",
        "tags: List",
    ];
    assert_eq!(told, expected);
    let ids = |schema: &Schema, filter: &str| -> Vec<String> {
        let condition = text(filter)
            .check_with(schema)
            .unwrap_or_else(|why| panic!("{filter}: {why}"));
        let shown = records
            .iter()
            .filter(|record| condition.test(record) == Some(true));
        shown.map(|record| record.key().to_string()).collect()
    };
    assert_eq!(
        ids(&schema, "at < TIMESTAMP('2026-03-01T08:00:00Z')"),
        ["1"]
    );
    assert_eq!(ids(&schema, "due IS NULL"), ["2", "3"]);
    assert_eq!(ids(&schema, "n >= 1"), ["1", "3"]);
    assert_eq!(
        ids(&schema, "n <> 1"),
        ["3"],
        "text among numbers is neither equal nor unequal"
    );
    assert_eq!(ids(&schema, "a.b = 7 OR \"/size/w\" = 1"), ["2", "3"]);
    assert_eq!(ids(&schema, "fee.amount > '4.40'"), ["1"]);
    schema
        .state("fee.amount", usual_tide::fields::Kind::Decimal)
        .unwrap();
    assert_eq!(ids(&schema, "fee.amount > 4.4"), ["1", "2"]);
    assert_eq!(
        ids(&schema, "fee.amount = 4.5 OR fee.amount = 12"),
        ["1", "2"]
    );
    assert!(
        schema
            .state("fee.sum", usual_tide::fields::Kind::Decimal)
            .is_err()
    );
    let typo = text("fee.amont > 1").check_with(&schema).unwrap_err();
    assert!(typo.to_string().ends_with("did you mean \"fee.amount\"?"));
}
