//! The command line.

#[cfg(feature = "browse")]
mod browse;
mod demo;
mod query;
#[cfg(feature = "net")]
mod serve;

#[cfg(feature = "browse")]
pub(crate) use browse::Browse;
pub(crate) use demo::{Demo, SCENES, SceneRange};
pub(crate) use query::{FieldNames, ItemOptions, QueryOptions, Totals};
#[cfg(feature = "net")]
pub(crate) use serve::{LogLevel, Serve};

use clap::{Args, CommandFactory, Parser, Subcommand, ValueEnum};
#[cfg(feature = "manual")]
use clap_complete::Shell;
use std::path::PathBuf;
use usual_tide_sources::files::FileFormat;

/// Keeps bound lists in step with their data: see, compare, replay and check what a change set does.
///
/// Files hold a JSON array of objects, NDJSON or CSV; `-` is standard input. In texts for people, rows are numbered
/// from 1; positions in JSON and in messages count from 0, lines and columns from 1. The exit status is 0 when all is
/// done, 1 when the data or a check says no, 2 when the options are not right.
#[derive(Parser, Debug)]
#[command(name = "usual-tide", version, max_term_width = 100)]
pub(crate) struct Arguments {
    #[command(subcommand)]
    pub(crate) command: Command,
}

impl Arguments {
    /// Ends the program, with status 2, where options do not go together.
    pub(crate) fn check(&self) {
        let refuse = |why: &str| {
            let mut command = Self::command();
            command
                .error(clap::error::ErrorKind::ArgumentConflict, why)
                .exit()
        };
        let items = match &self.command {
            Command::Show(show) => Some(&show.items),
            Command::Compare(compare) => Some(&compare.items),
            Command::Apply(apply) => Some(&apply.items),
            Command::Replay(replay) => Some(&replay.items),
            Command::Watch(watch) => Some(&watch.items),
            #[cfg(feature = "browse")]
            Command::Browse(browse) => Some(&browse.items),
            #[cfg(feature = "net")]
            Command::Serve(serve) => Some(&serve.items),
            Command::Measure(measure) => Some(&measure.items),
            _ => None,
        };
        if items.is_some_and(|items| items.headers().is_none()) {
            refuse("--header: a name, a colon and a value of ASCII characters are expected");
        }
        let moves = match &self.command {
            Command::Compare(compare) => (compare.without_moves, compare.format),
            Command::Watch(watch) => (watch.without_moves, watch.format),
            _ => (false, ChangesFormat::Steps),
        };
        if moves.0 && moves.1 != ChangesFormat::Steps {
            refuse("--without-moves is for --format steps: the other formats have moves");
        }
        if let Command::Apply(apply) = &self.command
            && let (Some(asked), Some(output)) = (apply.format, &apply.output)
            && let Some(named) = FileFormat::of_path(output)
            && named != asked.format()
        {
            refuse(&format!(
                "--format {} contradicts the name {output:?}, which says {named}",
                asked.format().to_string().to_lowercase()
            ));
        }
    }
}

impl FileFormatName {
    pub(crate) fn format(self) -> FileFormat {
        match self {
            Self::Json => FileFormat::Json,
            Self::Ndjson => FileFormat::Ndjson,
            Self::Csv => FileFormat::Csv,
        }
    }
}

#[derive(Subcommand, Debug)]
pub(crate) enum Command {
    /// A tour: an evening at a pottery studio's kiln queue, one change set after another.
    Demo(Demo),
    /// The rows of a file in the order of a query.
    #[command(after_help = "\
Examples:
  usual-tide show demo/pieces.json --sort -height_mm,title --take 20
  usual-tide show demo/pieces.csv --search \"cafe plate\" --columns id,title
  usual-tide show demo/pieces.json --group due:week --totals height_mm:sum \\
    --sort title --locale sv
  usual-tide show demo/pieces.json --format csv \\
    --filter \"fired = FALSE AND CASEI(title) LIKE '%bowl'\"")]
    Show(Show),
    /// What turns the rows of one file into the rows of another.
    ///
    /// Rows are told apart by their key. The change set has the fewest moved rows that there can be.
    #[command(after_help = "\
Examples:
  usual-tide compare demo/pieces.json demo/pieces-later.json
  usual-tide compare demo/pieces.json demo/pieces-later.json --sort due \\
    --filter \"fired = FALSE\"
  usual-tide compare demo/pieces.json demo/pieces-later.json --format json-patch")]
    Compare(Compare),
    /// The rows of a file with a change set put into effect.
    ///
    /// The changes are a change set in JSON, as `compare --format json` writes it, or a JSON Patch (RFC 6902) of the
    /// array of rows. They are refused as a whole when they do not fit.
    #[command(after_help = "\
Examples:
  usual-tide compare demo/pieces.json demo/pieces-later.json --format json | \\
    usual-tide apply demo/pieces.json -
  usual-tide apply demo/pieces.json demo/changes.json -o later.csv")]
    Apply(Apply),
    /// Runs an edit script on a file, and tells the change set of each step.
    ///
    /// The script is NDJSON, one edit a line: `add`, `edit`, `remove`, `move`, `query`, `reload`, `batch`, `undo`, `redo`.
    #[command(after_help = "\
Examples:
  usual-tide replay demo/pieces.json demo/evening.ndjson
  usual-tide replay demo/pieces.json demo/evening.ndjson --sort due --check
  usual-tide replay demo/pieces.json demo/evening.ndjson \\
    --also '{\"group\": \"shelf\"}' --check --format json")]
    Replay(Replay),
    /// Checks a trace that an app recorded: does its view show what the change sets say?
    ///
    /// A trace is NDJSON, in the order in which the app saw things: lines with `rows`, the keys that the view shows,
    /// and lines with `changes`, a change set. Where the two part, the likely cause is told.
    #[command(after_help = "\
Examples:
  usual-tide verify demo/trace-good.ndjson
  usual-tide verify demo/trace-target-before-lift.ndjson")]
    Verify(Verify),
    /// Tells the change sets of a list as its source changes: a file, a database or a server.
    ///
    /// Whatever others change is told as one minimal change set, until Ctrl-C.
    #[command(after_help = "\
Examples:
  usual-tide watch demo/pieces.json --sort due
  usual-tide watch 'sqlite:studio.db?table=pieces&order=place' --filter \"fired = FALSE\"
  usual-tide watch http://127.0.0.1:8090 --group shelf --format json")]
    Watch(Watch),
    #[cfg(feature = "browse")]
    /// A list on the full screen, to look through and to edit, with what its view is told beside it.
    ///
    /// Each edit is written to the source at once; those of a file opened with --hold when they are saved. Without a
    /// source it is the demo's kiln queue, in memory. The keys are told at the foot of the screen, all of them by `?`.
    #[command(after_help = "\
Examples:
  usual-tide browse
  usual-tide browse pieces.json --hold --group shelf
  usual-tide browse 'sqlite:studio.db?table=pieces&order=place' --filter \"fired = FALSE\"
  usual-tide browse http://127.0.0.1:8090 --also '{\"group\": \"shelf\"}'")]
    Browse(Browse),
    #[cfg(feature = "net")]
    /// Serves a file or a database over HTTP, with JSON and Server-Sent Events, and a page.
    ///
    /// Apps can be tried against it: it delays, refuses, fails and cuts connections where that is asked for. Only
    /// programs on this machine can reach it, unless --listen says otherwise.
    #[command(after_help = "\
Examples:
  usual-tide serve demo/pieces.json
  usual-tide serve 'sqlite:studio.db?table=pieces&order=place' --listen 127.0.0.1:8091
  usual-tide serve pieces.ndjson --latency 100..800 --refuse-every 3 --drop-every 7")]
    Serve(Serve),
    /// Measures the work of a list on your own data, or on made-up data, against simple floors.
    #[command(after_help = "\
Examples:
  usual-tide measure demo/pieces.json
  usual-tide measure --rows 5000 --format json
  usual-tide measure --rows 5000 --plot cost.svg")]
    Measure(Measure),
    #[cfg(feature = "manual")]
    /// Completions for a shell, to be read by it.
    #[command(after_help = "\
Examples:
  usual-tide completions bash
  usual-tide completions zsh")]
    Completions {
        /// The shell.
        shell: Shell,
    },
    #[cfg(feature = "manual")]
    /// The manual page, in roff.
    #[command(after_help = "\
Examples:
  usual-tide manual
  usual-tide manual show")]
    Manual {
        /// A command with a page of its own; all of it without.
        command: Option<String>,
    },
}

#[derive(Args, Debug)]
pub(crate) struct Show {
    /// A JSON array of objects, NDJSON or CSV, `-` for standard input, `sqlite:PATH?table=NAME`,
    /// `http://…` or `https://…`.
    pub(crate) file: String,
    #[command(flatten)]
    pub(crate) items: ItemOptions,
    #[command(flatten)]
    pub(crate) query: QueryOptions,
    /// The fields to show, with commas between, in this order, named as those to sort by.
    #[arg(long, value_name = "FIELDS", value_parser = query::field_names)]
    pub(crate) columns: Option<FieldNames>,
    /// How to write the rows.
    #[arg(long, value_enum, default_value_t)]
    pub(crate) format: RowFormat,
}

/// How rows are written.
#[derive(Clone, Copy, PartialEq, Eq, Default, Debug, ValueEnum)]
pub(crate) enum RowFormat {
    /// For people.
    #[default]
    Table,
    /// A JSON array; grouped rows by section.
    Json,
    /// A JSON object a line.
    Ndjson,
    /// Comma-separated values.
    Csv,
}

#[derive(Args, Debug)]
pub(crate) struct Compare {
    /// The rows before: a JSON array of objects, NDJSON or CSV, `-` for standard input, `sqlite:PATH?table=NAME`,
    /// `http://…` or `https://…`.
    pub(crate) old: String,
    /// The rows after.
    pub(crate) new: String,
    #[command(flatten)]
    pub(crate) items: ItemOptions,
    #[command(flatten)]
    pub(crate) query: QueryOptions,
    /// How to write the change set.
    #[arg(long, value_enum, default_value_t)]
    pub(crate) format: ChangesFormat,
    /// Write each move as a removal and an insertion, for a view that knows no moves; for steps.
    #[arg(long)]
    pub(crate) without_moves: bool,
    /// End with status 1 when anything differs, and 0 when nothing does.
    #[arg(long)]
    pub(crate) exit_code: bool,
}

/// How a change set is written.
#[derive(Clone, Copy, PartialEq, Eq, Default, Debug, ValueEnum)]
pub(crate) enum ChangesFormat {
    /// For people.
    #[default]
    Text,
    /// The change set as a whole.
    Json,
    /// One step a line, in JSON; each holds at the moment when it is applied.
    Steps,
    /// JSON Patch (RFC 6902) of the array of rows.
    JsonPatch,
}

#[derive(Args, Debug)]
pub(crate) struct Apply {
    /// The rows before: a JSON array of objects, NDJSON or CSV, `-` for standard input, `sqlite:PATH?table=NAME`,
    /// `http://…` or `https://…`.
    pub(crate) file: String,
    /// A change set in JSON, or a JSON Patch.
    pub(crate) changes: String,
    #[command(flatten)]
    pub(crate) items: ItemOptions,
    /// Where to write the rows: a file, which is replaced as a whole and whose name tells the format, `-` for standard
    /// output, or a table or a server, which are asked for each change.
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: Option<String>,
    /// How to write the rows.
    #[arg(long, value_enum)]
    pub(crate) format: Option<FileFormatName>,
}

/// How a file is written.
#[derive(Clone, Copy, PartialEq, Eq, Debug, ValueEnum)]
pub(crate) enum FileFormatName {
    /// A JSON array.
    Json,
    /// A JSON object a line.
    Ndjson,
    /// Comma-separated values.
    Csv,
}

#[derive(Args, Debug)]
pub(crate) struct Replay {
    /// The items to begin with: a JSON array of objects, NDJSON or CSV, `-` for standard input, `sqlite:PATH?table=NAME`,
    /// `http://…` or `https://…`.
    pub(crate) file: String,
    /// The edit script, in NDJSON.
    pub(crate) script: String,
    #[command(flatten)]
    pub(crate) items: ItemOptions,
    #[command(flatten)]
    pub(crate) query: QueryOptions,
    /// Another list over the same items, as a query in JSON with any of `filter`, `search`, `sort`, `group`, `totals`,
    /// `skip`, `take`; can be given again.
    #[arg(long, value_name = "JSON")]
    pub(crate) also: Vec<String>,
    /// Keep a copy of each list by change sets alone, compare it with the list after each step, and the list with one
    /// bound again; stop at the first difference.
    #[arg(long)]
    pub(crate) check: bool,
    /// Tell of edits that are refused, and go on.
    #[arg(long)]
    pub(crate) keep_going: bool,
    /// Write what a view of the first list sees, as a trace for `verify`.
    #[arg(long, value_name = "FILE")]
    pub(crate) trace: Option<PathBuf>,
    /// How to write the steps.
    #[arg(long, value_enum, default_value_t)]
    pub(crate) format: StepFormat,
}

/// How a report is written.
#[derive(Clone, Copy, PartialEq, Eq, Default, Debug, ValueEnum)]
pub(crate) enum StepFormat {
    /// For people.
    #[default]
    Text,
    /// For programs; one object a line where there are several.
    Json,
}

#[derive(Args, Debug)]
pub(crate) struct Verify {
    /// The trace, in NDJSON; `-` for standard input.
    pub(crate) trace: String,
    /// How to write the report.
    #[arg(long, value_enum, default_value_t)]
    pub(crate) format: StepFormat,
}

#[derive(Args, Debug)]
pub(crate) struct Watch {
    /// A file, `sqlite:PATH?table=NAME&order=COLUMN`, `sqlite:PATH?query=SQL`, `http://…` or `https://…`.
    pub(crate) source: String,
    #[command(flatten)]
    pub(crate) items: ItemOptions,
    #[command(flatten)]
    pub(crate) query: QueryOptions,
    /// How to write the change sets; all but text are one line each.
    #[arg(long, value_enum, default_value_t)]
    pub(crate) format: ChangesFormat,
    /// Write each move as a removal and an insertion, for a view that knows no moves; for steps.
    #[arg(long)]
    pub(crate) without_moves: bool,
    /// Stop after so many change sets.
    #[arg(long, value_name = "N")]
    pub(crate) changes: Option<u64>,
    /// Stop after so many seconds.
    #[arg(long, value_name = "SECONDS")]
    pub(crate) seconds: Option<u64>,
    /// How many seconds to wait for the items at the beginning.
    #[arg(long, value_name = "SECONDS", default_value_t = 30)]
    pub(crate) timeout: u64,
}

#[derive(Args, Debug)]
pub(crate) struct Measure {
    /// The items: a JSON array of objects, NDJSON or CSV, `-` for standard input, `sqlite:PATH?table=NAME`,
    /// `http://…` or `https://…`.
    #[arg(conflicts_with = "rows")]
    pub(crate) file: Option<String>,
    #[command(flatten)]
    pub(crate) items: ItemOptions,
    /// Make up so many pieces of a kiln queue instead.
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(10..=10_000_000))]
    pub(crate) rows: Option<u32>,
    /// The field to sort by and to search in; the first that holds text, unless it is the key, without.
    #[arg(long, value_name = "FIELD")]
    pub(crate) field: Option<String>,
    /// How often each work is timed; the medians are told.
    #[arg(long, value_name = "N", default_value_t = 5, value_parser = clap::value_parser!(u32).range(1..=1000))]
    pub(crate) rounds: u32,
    /// How to write the figures.
    #[arg(long, value_enum, default_value_t)]
    pub(crate) format: MeasureFormat,
    #[cfg(feature = "plot")]
    /// Draw cost against size, each work beside its floor, into a .png or .svg file.
    #[arg(long, value_name = "FILE")]
    pub(crate) plot: Option<PathBuf>,
}

/// How figures are written.
#[derive(Clone, Copy, PartialEq, Eq, Default, Debug, ValueEnum)]
pub(crate) enum MeasureFormat {
    /// For people.
    #[default]
    Table,
    /// For programs.
    Json,
}
