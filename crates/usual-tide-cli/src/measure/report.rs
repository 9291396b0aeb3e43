//! Figures for people and for programs.

use super::Measured;
use super::figure::Figure;
use crate::output::cells::{fitted, width};
use serde_json::{Value, json};
use usual_tide::record::FieldName;

/// The figures of one size, as a table where that fits into this many columns.
pub(super) fn table(measured: &Measured, field: &FieldName, rounds: u32, columns: usize) -> String {
    let lines: Vec<[String; 6]> = measured.figures.iter().map(line).collect();
    let headings = [
        "work",
        "took",
        "floor",
        "took",
        "ratio",
        "lowest to highest",
    ];
    let widths: Vec<usize> = (0..headings.len())
        .map(|column| {
            let cells = lines.iter().map(|line| width(&line[column]));
            cells.max().unwrap_or(0).max(width(headings[column]))
        })
        .collect();
    let row = |cells: [&str; 6]| {
        let cells = cells.iter().zip(&widths).enumerate();
        let cells = cells
            .map(|(column, (cell, width))| fitted(cell, *width, column % 2 == 1 || column == 4));
        cells.collect::<Vec<_>>().join("  ").trim_end().to_owned()
    };
    let whole = widths.iter().sum::<usize>() + 2 * (widths.len() - 1);
    let mut text = String::new();
    if whole <= columns {
        text.push_str(&format!("{}\n", row(headings)));
        for line in &lines {
            text.push_str(&format!("{}\n", row(line.each_ref().map(String::as_str))));
        }
    } else {
        for [work, took, floor, floor_took, ratio, spread] in &lines {
            text.push_str(&format!(
                "{work}: {took}, {ratio} times its floor ({spread})\n"
            ));
            text.push_str(&format!("  {floor}: {floor_took}\n"));
        }
    }
    let rows = measured.rows;
    text + &format!(
        "{rows} rows, by {field:?}; each ratio is the median of {rounds} rounds, work and floor in turn\n",
        field = field.to_string()
    )
}

fn line(figure: &Figure) -> [String; 6] {
    [
        figure.work.to_owned(),
        seconds(figure.work_seconds),
        figure.floor.to_owned(),
        seconds(figure.floor_seconds),
        ratio(figure.ratio),
        format!("{} to {}", ratio(figure.lowest), ratio(figure.highest)),
    ]
}

/// A ratio to two digits behind the point, or to two that say something.
pub(super) fn ratio(ratio: f64) -> String {
    match ratio {
        ratio if ratio >= 0.1 => format!("{ratio:.2}"),
        ratio if ratio >= 0.01 => format!("{ratio:.3}"),
        ratio => format!("{ratio:.5}"),
    }
}

/// A time with its unit.
pub(super) fn seconds(seconds: f64) -> String {
    match seconds {
        s if s >= 1.0 => format!("{s:.2} s"),
        s if s >= 1e-3 => format!("{:.2} ms", s * 1e3),
        s => format!("{:.1} µs", s * 1e6),
    }
}

/// The figures of all sizes.
pub(super) fn json(measured: &[Measured], field: &FieldName, rounds: u32) -> Value {
    let sizes = measured.iter().map(|size| {
        let figures = size.figures.iter().map(|figure| {
            json!({
                "work": figure.work,
                "work_seconds": figure.work_seconds,
                "floor": figure.floor,
                "floor_seconds": figure.floor_seconds,
                "ratio": figure.ratio,
                "ratio_lowest": figure.lowest,
                "ratio_highest": figure.highest,
            })
        });
        json!({"rows": size.rows, "figures": figures.collect::<Value>()})
    });
    json!({
        "field": field.to_string(),
        "rounds": rounds,
        "sizes": sizes.collect::<Value>(),
    })
}
