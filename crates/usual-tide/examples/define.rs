//! Define an item: its key, its fields, and what must hold of them.
#![allow(clippy::print_stdout)]

use std::error::Error;
use usual_tide::keys::KeyCounter;
use usual_tide::text::Folding;
use usual_tide::{Fields, Item, Place, Rules, Store};

#[derive(Clone, PartialEq, Debug, Item)]
struct Piece {
    #[item(key)]
    id: u64,
    #[item(search)]
    title: String,
    #[item(rename = "height_mm", format = in_centimetres)]
    height: u32,
    #[item(nested)]
    fee: Fee,
    #[item(skip)] // kept out of all that shows or searches
    photo: Vec<u8>,
}

#[derive(Clone, PartialEq, Debug, Fields)]
struct Fee {
    amount: String,
    currency: String,
}

fn in_centimetres(height: &u32) -> String {
    format!("{:.1} cm", f64::from(*height) / 10.0)
}

fn main() -> Result<(), Box<dyn Error>> {
    // Never from a clock and never from the text: two of those can be the same.
    let mut keys = KeyCounter::new();
    let mut piece = |title: &str| -> Result<Piece, Box<dyn Error>> {
        Ok(Piece {
            id: keys.next_key().ok_or("no key is left")?,
            title: title.to_owned(),
            height: 95,
            fee: Fee {
                amount: "4.50".to_owned(),
                currency: "EUR".to_owned(),
            },
            photo: Vec::new(),
        })
    };
    let fields = Piece::fields();
    let names: Vec<&str> = fields.iter().map(|field| field.name()).collect();
    println!("fields: {}", names.join(", "));

    let mut bowl = piece("  Celadon bowl ")?;
    let height = Piece::field_named("height_mm").ok_or("no such field")?;
    println!(
        "shown {}, typed {}",
        height.shown(&bowl),
        height.typed(&bowl)
    );
    height.read(&mut bowl, "120")?;
    if let Err(error) = height.read(&mut bowl, "tall") {
        println!("refused: {error}");
    }

    let mut store = Store::new();
    store.set_rules(
        Rules::new()
            .trim(Piece::TITLE)
            .required(Piece::TITLE)
            .unique(Piece::TITLE, Folding::CaseAndAccents),
    )?;
    store.add(bowl, Place::End)?;
    println!("added: {:?}", store.at(0).map(|piece| &piece.title));
    for title in ["   ", "CÉLADON BOWL"] {
        if let Err(error) = store.add(piece(title)?, Place::End) {
            println!("refused: {error}");
        }
    }
    Ok(())
}
