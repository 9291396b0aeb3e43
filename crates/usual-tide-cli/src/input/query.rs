//! Queries from options and from scripts.

use crate::args::QueryOptions;
use crate::error::CommandError;
use usual_tide::record::{FieldName, Record, Schema};
use usual_tide::{Collation, FieldLookup, FilterText, Group, Kind, Query, Search, Sort, Total};

/// Parts of a query as text. An empty text takes a part away.
#[derive(Clone, Default, Debug)]
pub(crate) struct QueryTexts {
    pub(crate) filter: Option<String>,
    pub(crate) search: Option<String>,
    pub(crate) sort: Option<String>,
    pub(crate) group: Option<String>,
    pub(crate) skip: Option<usize>,
    pub(crate) take: Option<usize>,
}

/// What does not change while a query does.
pub(crate) struct Surroundings {
    schema: Schema,
    /// Without items there are no fields to know: any name will do.
    no_items: bool,
    collation: Option<Collation>,
    totals: Option<Totals>,
}

/// What headings tell of fields.
#[derive(Clone, Debug)]
pub(crate) struct Totals(Vec<(Total, String)>);

impl Totals {
    /// Reads `field:total` with commas between.
    fn parse(text: &str) -> Result<Self, CommandError> {
        let one = |part: &str| {
            let (field, total) = part.trim().rsplit_once(':')?;
            let total = match total.trim() {
                "sum" => Total::Sum,
                "minimum" => Total::Minimum,
                "maximum" => Total::Maximum,
                "mean" => Total::Mean,
                _ => return None,
            };
            Some((total, field.trim().to_owned()))
        };
        let parts = text.split(',').map(|part| {
            one(part).ok_or_else(|| CommandError::Totals {
                part: part.trim().to_owned(),
            })
        });
        parts.collect::<Result<_, _>>().map(Self)
    }
}

impl Surroundings {
    pub(crate) fn new<'a>(
        options: &QueryOptions,
        items: impl Iterator<Item = &'a Record>,
    ) -> Result<Self, CommandError> {
        let mut items = items.peekable();
        Ok(Self {
            no_items: items.peek().is_none(),
            schema: Schema::infer(items),
            collation: match &options.locale {
                Some(tag) => Some(Collation::for_locale(tag)?.numeric()),
                None => None,
            },
            totals: options.totals.as_deref().map(Totals::parse).transpose()?,
        })
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
        let filter: FilterText = text.parse()?;
        Ok(query.filter(if self.no_items {
            filter.check()?
        } else {
            filter.check_with(&self.schema)?
        }))
    }

    fn search(&self, text: &str) -> Search<Record> {
        let holds_text = |(name, kind)| {
            let text = matches!(kind, Kind::Text | Kind::Any);
            text.then(|| self.schema.field(name)).flatten()
        };
        Search::in_fields(text, self.schema.fields().filter_map(holds_text))
    }

    fn sort(&self, text: &str) -> Result<Sort<Record>, CommandError> {
        Ok(match &self.collation {
            _ if self.no_items => Sort::parse(text)?,
            Some(collation) => Sort::parse_collated(text, &self.schema, collation)?,
            None => Sort::parse_with(text, &self.schema)?,
        })
    }

    fn group(&self, text: &str) -> Result<Group<Record>, CommandError> {
        let mut group = match &self.collation {
            _ if self.no_items => Group::parse(text)?,
            Some(collation) => Group::parse_collated(text, &self.schema, collation)?,
            None => Group::parse_with(text, &self.schema)?,
        };
        for (total, name) in self.totals.iter().flat_map(|totals| &totals.0) {
            match self.schema.field(name) {
                Some(field) => group = group.total(*total, field),
                None if self.no_items => {}
                None => return Err(self.no_field("--totals", name)),
            }
        }
        Ok(group)
    }

    fn no_field(&self, option: &'static str, name: &str) -> CommandError {
        let names = self.schema.fields().map(|(name, _)| name);
        CommandError::NoField {
            option,
            name: name.to_owned(),
            names: names.collect::<Vec<_>>().join(", "),
        }
    }
}

/// The query that the options ask for, checked against the items that it is for.
pub(crate) fn query<'a>(
    options: &QueryOptions,
    items: impl Iterator<Item = &'a Record>,
) -> Result<Query<Record>, CommandError> {
    let texts = QueryTexts {
        filter: options.filter.clone(),
        search: options.search.clone(),
        sort: options.sort.clone(),
        group: options.group.clone(),
        skip: Some(options.skip),
        take: options.take,
    };
    let query = Surroundings::new(options, items)?.change(Query::new(), &texts)?;
    Ok(if options.numbered {
        query.numbered()
    } else {
        query
    })
}

/// The fields to show, checked against the items that have them.
pub(crate) fn columns(
    text: Option<&str>,
    items: &[Record],
) -> Result<Option<Vec<FieldName>>, CommandError> {
    let Some(text) = text else {
        return Ok(None);
    };
    let names = text
        .split(',')
        .map(|name| FieldName::parse(name.trim()).map_err(|why| CommandError::Columns { why }));
    let names = names.collect::<Result<Vec<_>, _>>()?;
    // Any record will do: a member that is an object is no field of the schema, and yet can be shown.
    let known = |name: &FieldName| items.iter().any(|item| item.field(name).is_some());
    match names.iter().find(|name| !items.is_empty() && !known(name)) {
        None => Ok(Some(names)),
        Some(unknown) => {
            let schema = Schema::infer(items);
            let names = schema.fields().map(|(name, _)| name);
            Err(CommandError::NoField {
                option: "--columns",
                name: unknown.to_string(),
                names: names.collect::<Vec<_>>().join(", "),
            })
        }
    }
}
