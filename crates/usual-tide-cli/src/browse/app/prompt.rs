//! Texts that are typed at the foot of the screen: what to search for, filter, sort and group by, and names of files.

use crate::error::CommandError;
use crate::input::{QueryContext, QueryTexts};
use tui_input::Input;
use usual_tide::Query;

/// What a text is for.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) enum PromptKind {
    Search,
    Filter,
    Sort,
    Group,
    Trace,
    AnotherList,
}

impl PromptKind {
    pub(crate) fn name(self) -> &'static str {
        match self {
            Self::Search => "search",
            Self::Filter => "filter",
            Self::Sort => "sort by",
            Self::Group => "group by",
            Self::Trace => "write the trace to",
            Self::AnotherList => "another list",
        }
    }

    /// What can be typed, while nothing is.
    pub(crate) fn example(self) -> &'static str {
        match self {
            Self::Search => "words, in any field that holds text",
            Self::Filter => "a condition, such as fired = FALSE AND height_mm > 200",
            Self::Sort => "fields with commas between, - for descending: -due,title",
            Self::Group => "a field or a part of it: shelf, due:month, title:initial",
            Self::Trace => "a file, such as trace.ndjson",
            Self::AnotherList => {
                "a query, such as {\"group\": \"shelf\"}; nothing for one like this"
            }
        }
    }

    /// The query that a text of this kind asks for.
    pub(crate) fn texts(self, text: &str) -> QueryTexts {
        let text = Some(text.to_owned());
        let none = QueryTexts::default();
        match self {
            Self::Search => QueryTexts {
                search: text,
                ..none
            },
            Self::Filter => QueryTexts {
                filter: text,
                ..none
            },
            Self::Sort => QueryTexts { sort: text, ..none },
            Self::Group => QueryTexts {
                group: text,
                ..none
            },
            Self::Trace | Self::AnotherList => none,
        }
    }
}

/// What is wrong with a text, and where.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(crate) struct Problem {
    /// The column, from 0, where that is known.
    pub(crate) column: Option<usize>,
    pub(crate) why: String,
}

/// A text that is being typed.
pub(crate) struct Prompt {
    pub(crate) kind: PromptKind,
    pub(crate) input: Input,
    /// What stood there before, which comes back when the text is given up.
    pub(crate) before: String,
    pub(crate) problem: Option<Problem>,
}

impl Prompt {
    pub(crate) fn new(kind: PromptKind, before: Option<&str>) -> Self {
        let before = before.unwrap_or_default().to_owned();
        Self {
            kind,
            input: Input::new(before.clone()),
            before,
            problem: None,
        }
    }

    /// Looks for what is wrong with the text as it is.
    pub(crate) fn check(&mut self, context: Option<&QueryContext>) {
        let text = self.input.value();
        self.problem = match self.kind {
            PromptKind::Filter | PromptKind::Sort | PromptKind::Group => {
                context.and_then(|context| {
                    let checked = context.change(Query::new(), &self.kind.texts(text));
                    checked.err().map(|why| problem(&why))
                })
            }
            PromptKind::AnotherList if !text.trim().is_empty() => {
                let read = crate::script::query(text);
                read.err().map(|why| Problem {
                    column: None,
                    why: why.to_string(),
                })
            }
            _ => None,
        };
    }
}

fn problem(why: &CommandError) -> Problem {
    match why {
        CommandError::Filter(at) | CommandError::Sort(at) | CommandError::Group(at) => Problem {
            column: Some(at.column.saturating_sub(1)),
            why: at.problem.to_string(),
        },
        other => Problem {
            column: None,
            why: other.to_string(),
        },
    }
}
