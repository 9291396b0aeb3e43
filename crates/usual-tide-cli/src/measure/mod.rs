//! `usual-tide measure`: the work of a list on your own data, beside simple floors.

mod data;
mod figure;
#[cfg(feature = "plot")]
mod plot;
mod report;
mod work;

use crate::args::{Measure, MeasureFormat};
use crate::error::CommandError;
use crate::input;
use crate::output::progress::Progress;
use crate::output::{Output, columns};
use figure::Figure;
use usual_tide::record::Record;
use work::Subject;

/// The fewest items that say anything.
const FEWEST: usize = 10;
/// Items of the smallest size that is drawn, if there are more.
const SMALLEST_DRAWN: usize = 1000;

/// What was measured at one size.
struct Measured {
    rows: usize,
    figures: Vec<Figure>,
}

pub(crate) fn run(measure: &Measure, out: &mut Output) -> Result<(), CommandError> {
    #[cfg(feature = "plot")]
    let drawing = measure.plot.as_deref().map(plot::Target::of).transpose()?;
    #[cfg(not(feature = "plot"))]
    let drawing: Option<()> = None;
    let items: Vec<Record> = match (&measure.file, measure.rows) {
        (Some(file), _) => input::read(file, &measure.items)?,
        (None, rows) => data::pieces(rows.unwrap_or(10_000) as usize)?,
    };
    if items.len() < FEWEST {
        return Err(CommandError::Measure {
            why: format!(
                "there are {} items, and {FEWEST} are the least",
                items.len()
            ),
        });
    }
    let field = data::text_field(measure.field.as_deref(), &items)?;
    let file = measure.file.as_deref().unwrap_or("made-up pieces");
    let sizes = match drawing {
        Some(_) => sizes(items.len()),
        None => vec![items.len()],
    };
    let mut progress = Progress::of_steps(sizes.len() * work::ALL.len() * measure.rounds as usize);
    let mut measured = Vec::new();
    for rows in sizes {
        let mut subject = Subject::new(file, &items[..rows], &field)?;
        let figures = work::ALL
            .iter()
            .map(|work| Figure::measure(work, &mut subject, measure.rounds, &mut progress));
        let figures = figures.collect::<Result<_, _>>()?;
        measured.push(Measured { rows, figures });
    }
    progress.finish();
    #[cfg(feature = "plot")]
    if let (Some(target), Some(path)) = (drawing, &measure.plot) {
        plot::draw(target, path, &measured)?;
    }
    let Some(largest) = measured.last() else {
        return Ok(());
    };
    match measure.format {
        MeasureFormat::Table => {
            out.text(&report::table(largest, &field, measure.rounds, columns()))
        }
        MeasureFormat::Json => out.json(&report::json(&measured, &field, measure.rounds)),
    }
}

/// About three sizes for each tenfold, up to all items.
fn sizes(most: usize) -> Vec<usize> {
    let mut sizes = Vec::new();
    let mut size = SMALLEST_DRAWN as f64;
    while size < most as f64 * 0.8 {
        sizes.push(size as usize);
        size *= 10_f64.powf(1.0 / 3.0);
    }
    sizes.push(most);
    sizes
}
