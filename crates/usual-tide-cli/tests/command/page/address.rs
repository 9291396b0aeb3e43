//! What the page shows is in its address: a reload and a link show the same list.

use super::{Page, ROWS, served};
use serde_json::Value;

/// What a person sees of the list and of the question that it answers.
fn shown(page: &Page) -> Value {
    page.value(&format!(
        "[document.querySelector('#search').value, document.querySelector('#filter').value, document.querySelector('#group').value,
          [...document.querySelectorAll('#names [aria-sort]')].map((name) => name.dataset.name + ' ' + name.getAttribute('aria-sort')),
          [...document.querySelectorAll('.section.closed h3')].map((heading) => heading.textContent),
          [...document.querySelectorAll('#rows h3')].map((heading) => heading.textContent),
          document.querySelectorAll('#rows mark').length,
          [...{ROWS}].map((row) => row.getAttribute('aria-label'))]"
    ))
}

fn is_live(page: &Page) {
    page.until("document.querySelector('#state')?.textContent.startsWith('live')");
}

#[test]
fn a_reload_and_a_link_show_the_same_list() {
    let (_folder, server) = served();
    let Some(page) = Page::open(&server.address()) else {
        return;
    };
    assert_eq!(page.value("location.hash"), "");
    let all = shown(&page);
    page.type_into("#search", "o");
    page.until("location.hash === '#search=o'");
    page.type_into("#filter", "height_mm > 60");
    page.until("location.hash.includes('filter')");
    page.click("#names [data-name=\"title\"] button");
    page.until("location.hash.includes('sort')");
    page.click("#names [data-name=\"title\"] button");
    page.until("location.hash.includes('descending')");
    page.value("document.querySelector('#group').value = 'shelf'");
    page.value("document.querySelector('#group').dispatchEvent(new Event('change'))");
    page.until("document.querySelector('#rows h3')?.textContent.includes('in all')");
    page.click("#rows .section:nth-child(2) h3 button");
    page.until("location.hash.includes('closed')");
    page.until("document.getAnimations().length === 0");
    let before = shown(&page);
    let link = page.value("location.href").as_str().unwrap().to_owned();
    assert_ne!(before, all);
    assert_eq!(before[4].as_array().unwrap().len(), 1, "{before}");

    page.value("window.isOld = location.reload() ?? true");
    page.until(
        "!window.isOld && document.querySelector('#rows h3')?.textContent.includes('in all')",
    );
    is_live(&page);
    assert_eq!(shown(&page), before);
    drop(page);

    let Some(page) = Page::open(&link) else {
        return;
    };
    page.until("document.querySelector('#rows h3')?.textContent.includes('in all')");
    assert_eq!(shown(&page), before);
    // Another link in the same page.
    page.value("window.isOld = (location.hash = '') || true");
    page.until(&format!("!window.isOld && [...{ROWS}].length === 200"));
    is_live(&page);
    assert_eq!(shown(&page), all);
}

#[test]
fn of_an_address_for_other_fields_the_rest_is_shown() {
    let (_folder, server) = served();
    let link = "#search=o&filter=kiln+%3D+3&sort=temperature&group=cone&closed=4";
    let Some(page) = Page::open(&format!("{}/{link}", server.address())) else {
        return;
    };
    page.until(&format!("[...{ROWS}].length > 0"));
    let problems = page.text("#filter-problem");
    for field in ["\"kiln\"", "\"temperature\"", "\"cone\""] {
        assert!(problems.contains(field), "{problems}");
    }
    is_live(&page);
    let told = shown(&page);
    assert_eq!(told[0], "o");
    // What was refused can be mended.
    assert_eq!(told[1], "kiln = 3");
    assert_eq!(told[2], "");
    let sorted = "[...document.querySelectorAll('#names [aria-sort]')].some((name) => name.getAttribute('aria-sort') !== 'none')";
    assert_eq!(page.value(sorted), false);
    page.replace("#filter", "height_mm > 60");
    page.until("document.querySelector('#filter-problem').textContent === ''");
    page.until("location.hash === '#search=o&filter=height_mm+%3E+60'");
}
