//! What the derives say of a struct that they cannot work with.

#[test]
fn mistakes_are_told_where_they_are() {
    let cases = trybuild::TestCases::new();
    cases.compile_fail("tests/errors/*.rs");
}
