//! The kiln queue of a pottery studio in a window: run it with `cargo run --release`.

use kiln_queue_window::app::KilnQueue;

fn main() -> eframe::Result {
    let options = eframe::NativeOptions {
        viewport: eframe::egui::ViewportBuilder::default().with_inner_size([1280.0, 800.0]),
        ..Default::default()
    };
    eframe::run_native(
        "Kiln queue",
        options,
        Box::new(|about| Ok(Box::new(KilnQueue::open(&about.egui_ctx, true)?))),
    )
}
