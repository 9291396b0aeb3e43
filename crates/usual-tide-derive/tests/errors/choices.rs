use usual_tide::FieldValue;

#[derive(Clone, PartialEq, FieldValue)]
enum Valued {
    Plain,
    Hot(u32),
}

#[derive(Clone, PartialEq, FieldValue)]
enum Marked {
    #[item(label = "plain")]
    Plain,
}

#[derive(Clone, PartialEq, FieldValue)]
enum Twice {
    Plain,
    #[item(rename = "Plain")]
    Other,
}

#[derive(Clone, PartialEq, FieldValue)]
enum Nothing {}

#[derive(Clone, PartialEq, FieldValue)]
struct Pair(u32, u32);

#[derive(Clone, PartialEq, FieldValue)]
struct Named {
    amount: u32,
}

fn main() {}
