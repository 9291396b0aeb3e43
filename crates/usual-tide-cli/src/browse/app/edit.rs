//! A row that is edited where it stands, field by field.

use crate::browse::columns::Columns;
use crate::browse::messages::ListNumber;
use tui_input::Input;
use usual_tide::Draft;
use usual_tide::Fields;
use usual_tide::drafts::{Conflict, Prefer};
use usual_tide::fields::{AnyField, FieldPath, Kind};
use usual_tide::record::{Record, RecordKey};

/// An edit in progress.
pub(crate) struct Editing {
    pub(crate) list: ListNumber,
    pub(crate) draft: Box<Draft<Record>>,
    /// The column that is typed into.
    pub(crate) field: usize,
    pub(crate) input: Input,
    /// What is wrong with what was typed.
    pub(crate) problem: Option<String>,
}

impl Editing {
    pub(crate) fn new(
        list: ListNumber,
        draft: Box<Draft<Record>>,
        field: Option<usize>,
        columns: &Columns,
    ) -> Self {
        let mut editing = Self {
            list,
            draft,
            field: 0,
            input: Input::default(),
            problem: None,
        };
        let field = match field {
            Some(field) => field,
            None => columns.editable_from(columns.key().unwrap_or(0)),
        };
        editing.go_to(field, columns);
        editing
    }

    pub(crate) fn key(&self) -> &RecordKey {
        self.draft.key()
    }

    fn go_to(&mut self, field: usize, columns: &Columns) {
        self.field = field.min(columns.len().saturating_sub(1));
        let column = columns.get(self.field);
        let text = column.map(|column| column.field.typed(self.draft.item()));
        self.input = Input::new(text.unwrap_or_default());
    }

    /// Takes what was typed into the draft. `false` when it cannot be read; the problem says why.
    pub(crate) fn take_typed(&mut self, columns: &Columns) -> bool {
        self.problem = None;
        let Some(column) = columns.get(self.field) else {
            return true;
        };
        let typed = self.input.value();
        if typed == column.field.typed(self.draft.item()) {
            return true;
        }
        let mut item = self.draft.item().clone();
        let read = column.field.read(&mut item, typed);
        let taken = read.and_then(|()| self.draft.edit(|draft| *draft = item));
        match taken {
            Ok(()) => true,
            Err(why) => {
                self.problem = Some(format!("{}: {why}", column.title));
                false
            }
        }
    }

    /// Goes on to another field, unless what was typed cannot be read.
    pub(crate) fn next(&mut self, by: isize, columns: &Columns) {
        if !self.take_typed(columns) {
            return;
        }
        let len = columns.len().max(1);
        let next = match by < 0 {
            true => (self.field + len - 1) % len,
            false => (self.field + 1) % len,
        };
        self.go_to(next, columns);
    }

    /// Turns a flag that is typed into.
    pub(crate) fn turn_flag(&mut self, columns: &Columns) -> bool {
        let kind = columns.get(self.field).map(|column| column.field.kind());
        let is_flag = kind == Some(Kind::Bool);
        if is_flag {
            let turned = match self.input.value().trim() {
                "true" => "false",
                _ => "true",
            };
            self.input = Input::new(turned.to_owned());
        }
        is_flag
    }
}

/// A draft whose row was changed meanwhile in the same fields: each is chosen from what both made of it.
pub(crate) struct Choosing {
    pub(crate) draft: Box<Draft<Record>>,
    pub(crate) conflict: Box<Conflict<Record>>,
    /// Each field in which both collide, and whose value is taken.
    pub(crate) fields: Vec<(FieldPath, Prefer)>,
    pub(crate) at: usize,
}

impl Choosing {
    pub(crate) fn new(draft: Box<Draft<Record>>, conflict: Box<Conflict<Record>>) -> Self {
        let fields = conflict.overlapping.iter();
        Self {
            draft,
            fields: fields.map(|path| (path.clone(), Prefer::Mine)).collect(),
            conflict,
            at: 0,
        }
    }

    pub(crate) fn turn(&mut self) {
        if let Some((_, prefer)) = self.fields.get_mut(self.at) {
            *prefer = match prefer {
                Prefer::Mine => Prefer::Theirs,
                Prefer::Theirs => Prefer::Mine,
            };
        }
    }

    pub(crate) fn choose_all(&mut self, prefer: Prefer) {
        for (_, chosen) in &mut self.fields {
            *chosen = prefer;
        }
    }

    pub(crate) fn go_by(&mut self, by: isize) {
        let last = self.fields.len().saturating_sub(1);
        self.at = self.at.saturating_add_signed(by).min(last);
    }

    /// The draft with what was chosen.
    pub(crate) fn settled(self) -> Box<Draft<Record>> {
        let (mut draft, conflict) = (self.draft, self.conflict);
        let mine = conflict.mine.clone();
        draft.settle(*conflict, Prefer::Theirs);
        let mut item = draft.item().clone();
        for (path, prefer) in &self.fields {
            let field: Option<AnyField<Record>> = Record::field_at(path);
            if let (Prefer::Mine, Some(field)) = (prefer, field) {
                field.copy(&mine, &mut item);
            }
        }
        // It is refused for another key alone, and both sides have the same.
        let _ = draft.edit(|draft| *draft = item);
        draft
    }
}
