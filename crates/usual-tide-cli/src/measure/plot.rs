//! Cost against size, the floor beside it.

use super::Measured;
use super::report::{ratio, seconds};
use crate::error::CommandError;
use plotters::prelude::*;
use plotters::style::text_anchor::{HPos, Pos, VPos};
use std::ops::Range;
use std::path::Path;

const SIZE: (u32, u32) = (1280, 800);
/// Panels side by side, and one under the other.
const PANELS: (usize, usize) = (2, 4);
const FONT: &str = "sans-serif";

const PAPER: RGBColor = RGBColor(0xfb, 0xfa, 0xf6);
const INK: RGBColor = RGBColor(0x22, 0x22, 0x22);
const WORK: RGBColor = RGBColor(0x1f, 0x5f, 0xa8);
const FLOOR: RGBColor = RGBColor(0x8a, 0x85, 0x78);
const GRID: RGBColor = RGBColor(0xe4, 0xe0, 0xd6);

/// What the word means, in lines that fit a panel.
const FLOOR_MEANS: [&str; 4] = [
    "A floor is simple work on the same data",
    "that no list could do without, timed in",
    "turn with the list's own. Both scales",
    "are logarithmic.",
];

/// How a drawing is written.
#[derive(Clone, Copy)]
pub(super) enum Target {
    Png,
    Svg,
}

impl Target {
    /// What a file's name asks for.
    pub(super) fn of(path: &Path) -> Result<Self, CommandError> {
        let extension = path.extension().and_then(|extension| extension.to_str());
        match extension.map(str::to_ascii_lowercase).as_deref() {
            Some("png") => Ok(Self::Png),
            Some("svg") => Ok(Self::Svg),
            _ => Err(failed(path, "its name ends neither in .png nor in .svg")),
        }
    }
}

fn failed(path: &Path, why: impl ToString) -> CommandError {
    CommandError::Plot {
        file: path.display().to_string(),
        why: why.to_string(),
    }
}

pub(super) fn draw(target: Target, path: &Path, measured: &[Measured]) -> Result<(), CommandError> {
    plotters::style::register_font(FONT, FontStyle::Normal, dejavu::sans::regular())
        .map_err(|_| failed(path, "the font cannot be read"))?;
    match target {
        Target::Png => draw_on(BitMapBackend::new(path, SIZE), measured),
        Target::Svg => draw_on(SVGBackend::new(path, SIZE), measured),
    }
    .map_err(|why| failed(path, why))
}

fn draw_on<B: DrawingBackend>(backend: B, measured: &[Measured]) -> Result<(), String> {
    let area = backend.into_drawing_area();
    area.fill(&PAPER).map_err(told)?;
    let rows = measured.last().map_or(0, |size| size.rows);
    let rows = rows_label(rows as f64);
    let title =
        format!("What a list's work takes, and its floor beside it (ratios at {rows} rows)");
    let sheet = area
        .margin(12, 6, 6, 6)
        .titled(&title, style(22))
        .map_err(told)?;
    let panels = sheet.margin(10, 0, 0, 0).split_evenly(PANELS);
    let works = measured.first().map_or(0, |size| size.figures.len());
    let row_of = |index: usize| index / PANELS.1 * PANELS.1..(index / PANELS.1 + 1) * PANELS.1;
    for (index, panel) in panels.iter().enumerate().take(works) {
        // Panels side by side have one scale, so that their heights can be compared.
        let times = time_range(measured, row_of(index));
        draw_panel(panel, index, times, measured)?;
    }
    if let Some(panel) = panels.get(works) {
        draw_key(panel)?;
    }
    area.present().map_err(told)
}

fn style(size: u32) -> TextStyle<'static> {
    TextStyle::from((FONT, size).into_font()).color(&INK)
}

/// The backends' errors have a type each.
fn told(why: impl ToString) -> String {
    why.to_string()
}

/// The times of some works and of their floors, out to whole powers of ten.
fn time_range(measured: &[Measured], works: Range<usize>) -> Range<f64> {
    let figures = measured.iter().flat_map(|size| {
        let here = works.start.min(size.figures.len())..works.end.min(size.figures.len());
        &size.figures[here]
    });
    let times = figures.flat_map(|figure| [figure.work_seconds, figure.floor_seconds]);
    let (low, high) = times.fold((f64::INFINITY, 1e-9), |(low, high): (f64, f64), time| {
        (low.min(time), high.max(time))
    });
    decade_below(low.clamp(1e-9, high))..decade_above(high)
}

fn draw_panel<B: DrawingBackend>(
    panel: &DrawingArea<B, plotters::coord::Shift>,
    index: usize,
    times: Range<f64>,
    measured: &[Measured],
) -> Result<(), String> {
    let figures = || {
        measured
            .iter()
            .map(|size| (size.rows as f64, &size.figures[index]))
    };
    let Some((most, last)) = figures().next_back() else {
        return Ok(());
    };
    let least = figures().next().map_or(most, |first| first.0);
    // One size alone needs some room on either side.
    let room = if least < most { 1.2 } else { 2.0 };
    let (left, right) = (least / room, most * room);
    let title = format!("{}: {} times its floor", last.work, ratio(last.ratio));
    let floor = format!("floor: {}", last.floor);
    let panel = panel.titled(&title, style(14)).map_err(told)?;
    let panel = panel.titled(&floor, style(11)).map_err(told)?;
    let mut chart = ChartBuilder::on(&panel)
        .margin(8)
        .x_label_area_size(38)
        .y_label_area_size(70)
        .build_cartesian_2d((left..right).log_scale(), times.log_scale())
        .map_err(told)?;
    chart
        .configure_mesh()
        .disable_x_mesh()
        .bold_line_style(GRID)
        .light_line_style(TRANSPARENT)
        .axis_style(FLOOR)
        .label_style(style(12))
        .x_desc("rows")
        .y_desc("time")
        .axis_desc_style(style(12))
        .x_labels(4)
        .y_labels(4)
        .x_label_formatter(&|rows| rows_label(*rows))
        .y_label_formatter(&|time| seconds(*time).replace(".00", "").replace(".0", ""))
        .draw()
        .map_err(told)?;
    let floor: Vec<(f64, f64)> = figures()
        .map(|(rows, figure)| (rows, figure.floor_seconds))
        .collect();
    let work: Vec<(f64, f64)> = figures()
        .map(|(rows, figure)| (rows, figure.work_seconds))
        .collect();
    for (points, colour) in [(floor, FLOOR), (work, WORK)] {
        chart
            .draw_series(LineSeries::new(
                points.iter().copied(),
                colour.stroke_width(2),
            ))
            .map_err(told)?;
        chart
            .draw_series(
                points
                    .iter()
                    .map(|point| Circle::new(*point, 3, colour.filled())),
            )
            .map_err(told)?;
    }
    Ok(())
}

/// What the colours mean, in the room that is left.
fn draw_key<B: DrawingBackend>(
    panel: &DrawingArea<B, plotters::coord::Shift>,
) -> Result<(), String> {
    let (_, height) = panel.dim_in_pixel();
    let middle = height as i32 / 2;
    for (line, name, colour) in [(-1, "the list's work", WORK), (1, "its floor", FLOOR)] {
        let y = middle + line * 14;
        panel
            .draw(&PathElement::new(
                [(40, y), (80, y)],
                colour.stroke_width(2),
            ))
            .map_err(told)?;
        panel
            .draw(&Circle::new((60, y), 3, colour.filled()))
            .map_err(told)?;
        let style = style(15).pos(Pos::new(HPos::Left, VPos::Center));
        panel.draw(&Text::new(name, (92, y), style)).map_err(told)?;
    }
    for (line, text) in (3..).zip(FLOOR_MEANS) {
        let style = style(13).pos(Pos::new(HPos::Left, VPos::Center));
        let y = middle + line * 18;
        panel.draw(&Text::new(text, (40, y), style)).map_err(told)?;
    }
    Ok(())
}

fn rows_label(rows: f64) -> String {
    match rows {
        rows if rows >= 1e6 => format!("{}M", rows / 1e6),
        rows if rows >= 1e3 => format!("{}k", rows / 1e3),
        rows => format!("{rows}"),
    }
}

fn decade_below(value: f64) -> f64 {
    10_f64.powf(value.log10().floor())
}

fn decade_above(value: f64) -> f64 {
    10_f64.powf(value.log10().ceil())
}
