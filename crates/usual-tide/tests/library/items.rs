//! The items of most tests, since what is generic is compiled again for each type of item.

/// Pieces of which a test fills in what matters to it.
pub mod usual {
    use usual_tide::Item;

    #[derive(Clone, PartialEq, Debug, Default, Item)]
    pub struct Piece {
        #[item(key)]
        pub id: u32,
        #[item(search)]
        pub title: String,
        #[item(search)]
        pub maker: Option<String>,
        pub note: String,
        pub glaze: Option<String>,
        pub shelf: Option<String>,
        pub height_mm: u32,
        pub width_mm: u32,
        pub fired: bool,
    }

    impl Piece {
        pub fn of_height(id: u32, height_mm: u32) -> Self {
            Self {
                id,
                height_mm,
                ..Self::default()
            }
        }
    }
}

/// Pieces of small numbers, for random scripts.
pub mod numbered {
    use usual_tide::Item;

    #[derive(Clone, PartialEq, Debug, Default, Item)]
    pub struct Piece {
        #[item(key)]
        pub id: u32,
        pub title: u8,
        pub shelf: u8,
        pub height: u8,
        pub shown: bool,
        /// Written by the source.
        pub saved: u32,
    }
}

/// Pieces with a letter as their key, so that an order of them is a word.
pub mod lettered {
    use usual_tide::Item;

    #[derive(Clone, PartialEq, Debug, Item)]
    pub struct Piece {
        #[item(key)]
        pub id: char,
        pub fired: bool,
    }

    pub fn piece(id: char) -> Piece {
        Piece { id, fired: false }
    }
}
