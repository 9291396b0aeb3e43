//! `measure`, `completions` and `manual`.

use crate::support;
use crate::support::{demo, run, stderr, stdout};
use serde_json::Value;
use std::process::{Command, Stdio};

#[test]
fn measuring_tells_each_work_beside_its_floor() {
    let options = ["--rounds", "3", "--format", "json"];
    let output = run(&[&["measure", &demo("pieces.csv")][..], &options].concat());
    assert!(output.status.success(), "{output:?}");
    let report: Value = serde_json::from_str(&stdout(&output)).unwrap();
    assert_eq!(report["field"], "title");
    assert_eq!(report["sizes"][0]["rows"], 240);
    let figures = report["sizes"][0]["figures"].as_array().unwrap();
    assert_eq!(figures.len(), 8);
    for figure in figures {
        let number = |name: &str| figure[name].as_f64().unwrap();
        assert!(
            number("work_seconds") > 0.0 && number("floor_seconds") > 0.0,
            "{figure}"
        );
        assert!(
            number("ratio_lowest") <= number("ratio") && number("ratio") <= number("ratio_highest")
        );
    }
    let table = stdout(&run(&[
        "measure", "--rows", "300", "--rounds", "1", "--field", "maker",
    ]));
    assert!(
        table.starts_with("work ") && table.contains("300 rows, by \"maker\""),
        "{table}"
    );
}

#[test]
fn a_plot_is_drawn_in_either_format() {
    let folder = tempfile::tempdir().unwrap();
    for (name, begin) in [("cost.png", &b"\x89PNG\r\n"[..]), ("cost.svg", b"<svg ")] {
        let path = folder.path().join(name);
        let path = path.to_str().unwrap();
        let output = run(&["measure", "--rows", "2500", "--rounds", "1", "--plot", path]);
        assert!(output.status.success(), "{output:?}");
        assert!(std::fs::read(path).unwrap().starts_with(begin), "{name}");
    }
    let text = std::fs::read_to_string(folder.path().join("cost.svg")).unwrap();
    for work in [
        "load",
        "first bind",
        "third letter",
        "batch of 1000 edits",
        "reload",
    ] {
        assert!(text.contains(work), "{work}");
    }
}

#[test]
fn what_cannot_be_measured_is_told() {
    let output = run(&["measure", &demo("pieces.json"), "--field", "height_mm"]);
    assert!(
        stderr(&output).contains("no field \"height_mm\" holds text"),
        "{output:?}"
    );
    let output = run(&["measure", "--rows", "50", "--plot", "cost.gif"]);
    assert!(
        stderr(&output).contains("cost.gif: cannot be drawn: its name ends neither in .png nor"),
        "{output:?}"
    );
    let folder = tempfile::tempdir().unwrap();
    let twice = support::write(
        &folder,
        "twice.csv",
        &format!("id,title\n{}", "1,Bowl\n".repeat(12)),
    );
    let output = run(&["measure", &twice]);
    assert!(
        stderr(&output).contains("twice.csv: a key belongs to more than one item"),
        "{output:?}"
    );
    for usage in [
        &["--rows", "3"][..],
        &["--rows", "50", "file.json"],
        &["--rounds", "0"],
    ] {
        let output = run(&[&["measure"][..], usage].concat());
        assert_eq!(output.status.code(), Some(2), "{usage:?}");
    }
}

#[test]
fn completions_name_every_command() {
    for shell in ["bash", "zsh", "fish", "elvish", "powershell"] {
        let script = stdout(&run(&["completions", shell]));
        for name in ["compare", "replay", "verify", "--without-moves"] {
            let name = name.trim_start_matches('-');
            assert!(script.contains(name), "{shell}: {name}");
        }
    }
    // A shell takes it, where there is one.
    if cfg!(windows) {
        return;
    }
    let mut bash = Command::new("bash")
        .arg("-n")
        .stdin(Stdio::piped())
        .spawn()
        .unwrap();
    let script = run(&["completions", "bash"]).stdout;
    std::io::Write::write_all(&mut bash.stdin.take().unwrap(), &script).unwrap();
    assert!(bash.wait().unwrap().success());
}

#[test]
fn the_manual_has_a_page_for_all_and_for_each() {
    let page = stdout(&run(&["manual"]));
    assert!(
        page.contains(".TH usual-tide 1") && page.contains("replay"),
        "{page}"
    );
    let page = stdout(&run(&["manual", "replay"]));
    assert!(
        page.contains("\\-\\-check") && page.contains("Examples:"),
        "{page}"
    );
    let none = run(&["manual", "fetch"]);
    assert!(
        stderr(&none).contains("there is no command \"fetch\"; the commands are demo, show"),
        "{none:?}"
    );
}
