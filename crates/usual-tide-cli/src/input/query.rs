//! Queries from options and from scripts.

use crate::args::{FieldNames, QueryOptions, Totals};
use crate::error::CommandError;
use std::collections::HashSet;
use usual_tide::fields::Kind;
use usual_tide::query::{FieldLookup, FilterText, Total};
use usual_tide::record::{FieldName, Record, Schema};
use usual_tide::text::Collation;
use usual_tide::{Group, Query, Search, Sort};

/// Parts of a query as text. An empty text takes a part away.
#[derive(Clone, PartialEq, Eq, Hash, Default, Debug)]
pub(crate) struct QueryTexts {
    pub(crate) filter: Option<String>,
    pub(crate) search: Option<String>,
    pub(crate) sort: Option<String>,
    pub(crate) group: Option<String>,
    pub(crate) totals: Option<String>,
    pub(crate) skip: Option<usize>,
    pub(crate) take: Option<usize>,
}

#[cfg(any(feature = "browse", feature = "net"))]
impl QueryTexts {
    /// These parts with others put in place.
    pub(crate) fn changed_by(self, others: Self) -> Self {
        let part = |new: Option<String>, old: Option<String>| {
            new.or(old).filter(|text| !text.trim().is_empty())
        };
        Self {
            filter: part(others.filter, self.filter),
            search: part(others.search, self.search),
            sort: part(others.sort, self.sort),
            group: part(others.group, self.group),
            totals: part(others.totals, self.totals),
            skip: others.skip.or(self.skip),
            take: others.take.or(self.take),
        }
    }

    /// The query in JSON, without the parts that it has not.
    #[cfg(feature = "net")]
    pub(crate) fn to_json(&self) -> serde_json::Value {
        let texts = [
            ("filter", &self.filter),
            ("search", &self.search),
            ("sort", &self.sort),
            ("group", &self.group),
            ("totals", &self.totals),
        ];
        let texts = texts
            .into_iter()
            .filter_map(|(name, text)| Some((name, text.clone()?.into())));
        let rows = [("skip", self.skip), ("take", self.take)];
        let rows = rows
            .into_iter()
            .filter_map(|(name, rows)| Some((name, rows?.into())));
        let members = texts.chain(rows);
        serde_json::Value::Object(
            members
                .map(|(name, value)| (name.to_owned(), value))
                .collect(),
        )
    }

    /// Whether others put every part in place that these do.
    #[cfg(feature = "browse")]
    pub(crate) fn is_covered_by(&self, others: &Self) -> bool {
        let parts = [
            (&self.filter, &others.filter),
            (&self.search, &others.search),
            (&self.sort, &others.sort),
            (&self.group, &others.group),
            (&self.totals, &others.totals),
        ];
        let rows = [(self.skip, others.skip), (self.take, others.take)];
        parts
            .iter()
            .all(|(one, other)| one.is_none() || other.is_some())
            && rows
                .iter()
                .all(|(one, other)| one.is_none() || other.is_some())
    }
}

impl QueryTexts {
    /// The options with the totals that these parts ask for.
    pub(crate) fn options(&self, options: &QueryOptions) -> Result<QueryOptions, CommandError> {
        let mut options = options.clone();
        let (totals, group) = (self.totals.as_deref(), self.group.as_deref());
        match (totals.map(str::trim), group.map(str::trim)) {
            (None, _) => {}
            (Some(""), _) => options.totals = None,
            (Some(_), None | Some("")) => {
                let why = "headings of sections tell them: they go with a group";
                return Err(CommandError::Totals(why.to_owned()));
            }
            (Some(text), Some(_)) => {
                options.totals = Some(Totals::parse(text).map_err(CommandError::Totals)?);
            }
        }
        Ok(options)
    }

    /// The query that the options ask for.
    pub(crate) fn of(options: &QueryOptions) -> Self {
        Self {
            filter: options.filter.clone(),
            search: options.search.clone(),
            sort: options.sort.clone(),
            group: options.group.clone(),
            // They are among the options.
            totals: None,
            skip: Some(options.skip),
            take: options.take,
        }
    }
}

/// What does not change while a query does.
#[derive(Debug)]
pub(crate) struct QueryContext {
    schema: Schema,
    /// Without items there are no fields to know: any name will do.
    no_items: bool,
    collation: Option<Collation>,
    totals: Option<Totals>,
    /// Fields that hold text, some of it numbers.
    numeric_text: HashSet<String>,
}

impl QueryContext {
    pub(crate) fn new<'a>(
        options: &QueryOptions,
        items: impl Iterator<Item = &'a Record>,
    ) -> Result<Self, CommandError> {
        let items: Vec<&Record> = items.collect();
        let totals = options.totals.iter().flat_map(|totals| &totals.0);
        let is_number = |item: &&Record, name: &str| {
            let text = item.get(name).and_then(|value| value.as_text());
            text.is_some_and(|text| text.trim().parse::<f64>().is_ok())
        };
        let numeric = totals
            .map(|(_, name)| name)
            .filter(|name| items.iter().any(|item| is_number(item, name)));
        Ok(Self {
            no_items: items.is_empty(),
            numeric_text: numeric.cloned().collect(),
            schema: Schema::infer(items),
            collation: options.locale.clone(),
            totals: options.totals.clone(),
        })
    }

    /// The fields of the items.
    #[cfg(feature = "browse")]
    pub(crate) fn schema(&self) -> &Schema {
        &self.schema
    }

    /// A query with some of its parts put in place.
    pub(crate) fn change(
        &self,
        mut query: Query<Record>,
        texts: &QueryTexts,
    ) -> Result<Query<Record>, CommandError> {
        if let Some(text) = &texts.filter {
            query = match text.trim() {
                "" => query.unfiltered(),
                _ => self.filter(query, text)?,
            };
        }
        if let Some(text) = &texts.search {
            query = query.search(self.search(text));
        }
        if let Some(text) = &texts.sort {
            query = match text.trim() {
                "" => query.unsorted(),
                _ => query.sort(self.sort(text)?),
            };
        }
        if let Some(text) = &texts.group {
            query = match text.trim() {
                "" => query.ungrouped(),
                _ => query.group(self.group(text)?),
            };
        }
        if let Some(rows) = texts.skip {
            query = query.skip(rows);
        }
        if let Some(rows) = texts.take {
            query = query.take(rows);
        }
        Ok(query)
    }

    fn filter(&self, query: Query<Record>, text: &str) -> Result<Query<Record>, CommandError> {
        let filter: FilterText = text.parse().map_err(CommandError::Filter)?;
        let checked = match self.no_items {
            true => filter.check(),
            false => filter.check_with(&self.schema),
        };
        Ok(query.filter(checked.map_err(CommandError::Filter)?))
    }

    /// A search in the fields that hold text.
    pub(crate) fn search(&self, text: &str) -> Search<Record> {
        let holds_text = |(name, kind)| {
            let text = matches!(kind, Kind::Text | Kind::Any);
            text.then(|| self.schema.field(name)).flatten()
        };
        Search::in_fields(text, self.schema.fields().filter_map(holds_text))
    }

    fn sort(&self, text: &str) -> Result<Sort<Record>, CommandError> {
        let sort = match &self.collation {
            _ if self.no_items => Sort::parse(text),
            Some(collation) => Sort::parse_collated(text, &self.schema, collation),
            None => Sort::parse_with(text, &self.schema),
        };
        sort.map_err(CommandError::Sort)
    }

    fn group(&self, text: &str) -> Result<Group<Record>, CommandError> {
        let group = match &self.collation {
            _ if self.no_items => Group::parse(text),
            Some(collation) => Group::parse_collated(text, &self.schema, collation),
            None => Group::parse_with(text, &self.schema),
        };
        let mut group = group.map_err(CommandError::Group)?;
        for (total, name) in self.totals.iter().flat_map(|totals| &totals.0) {
            match self.schema.field(name) {
                Some(field) => {
                    self.check_total(*total, name, field.kind())?;
                    group = group.total(*total, field);
                }
                None if self.no_items => {}
                None => return Err(no_field("--totals", name, &self.schema)),
            }
        }
        Ok(group)
    }

    /// Sums and means are of numbers, be they written as text.
    fn check_total(&self, total: Total, name: &str, kind: Kind) -> Result<(), CommandError> {
        let of_numbers = matches!(total, Total::Sum | Total::Mean);
        let has_numbers = match kind {
            Kind::Integer | Kind::Decimal | Kind::Float | Kind::Any => true,
            Kind::Text => self.numeric_text.contains(name),
            _ => false,
        };
        match of_numbers && !has_numbers {
            true => Err(CommandError::NoNumbers {
                name: name.to_owned(),
                kind,
                total,
            }),
            false => Ok(()),
        }
    }
}

/// A field that an option names and that there is none of.
fn no_field(option: &'static str, name: &str, schema: &Schema) -> CommandError {
    let names = schema.fields().map(|(name, _)| name);
    CommandError::NoField {
        option,
        name: name.to_owned(),
        nearest: schema.nearest(name),
        names: names.collect::<Vec<_>>().join(", "),
    }
}

/// The query that the options ask for, checked against the items that it is for.
pub(crate) fn query<'a>(
    options: &QueryOptions,
    items: impl Iterator<Item = &'a Record>,
) -> Result<Query<Record>, CommandError> {
    let texts = QueryTexts::of(options);
    let query = QueryContext::new(options, items)?.change(Query::new(), &texts)?;
    Ok(if options.numbered {
        query.numbered()
    } else {
        query
    })
}

/// The fields to show, checked against the items that have them.
pub(crate) fn columns(
    names: Option<&FieldNames>,
    items: &[Record],
) -> Result<Option<Vec<FieldName>>, CommandError> {
    let Some(FieldNames(names)) = names else {
        return Ok(None);
    };
    // Any record will do: a member that is an object is no field of the schema, and yet can be shown.
    let known = |name: &FieldName| items.iter().any(|item| item.field(name).is_some());
    match names.iter().find(|name| !items.is_empty() && !known(name)) {
        None => Ok(Some(names.clone())),
        Some(unknown) => {
            let schema = Schema::infer(items);
            Err(no_field("--columns", &unknown.to_string(), &schema))
        }
    }
}
