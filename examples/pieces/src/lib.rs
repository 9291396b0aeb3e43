//! The pieces that the examples in the documentation are about, which show no more of them than they need.
//!
//! What is generic is compiled again for each type of item. Examples that share one build in a fraction of the time.

/// Pieces with nothing but a number.
pub mod with_id {
    use usual_tide::Item;

    /// A piece.
    #[derive(Clone, PartialEq, Debug, Item)]
    pub struct Piece {
        /// Its number.
        #[item(key)]
        pub id: u32,
    }
}

/// Pieces with a letter instead of a number.
pub mod with_letter {
    use usual_tide::Item;

    /// A piece.
    #[derive(Clone, PartialEq, Debug, Item)]
    pub struct Piece {
        /// Its letter.
        #[item(key)]
        pub id: char,
    }
}

/// Pieces with a title.
pub mod with_title {
    use usual_tide::Item;

    /// A piece.
    #[derive(Clone, PartialEq, Debug, Item)]
    pub struct Piece {
        /// Its number.
        #[item(key)]
        pub id: u32,
        /// What it is called.
        pub title: String,
    }
}

/// Pieces with a title that is searched.
pub mod with_searched_title {
    use usual_tide::Item;

    /// A piece.
    #[derive(Clone, PartialEq, Debug, Item)]
    pub struct Piece {
        /// Its number.
        #[item(key)]
        pub id: u32,
        /// What it is called.
        #[item(search)]
        pub title: String,
    }
}

/// Pieces on shelves.
pub mod with_shelf {
    use usual_tide::Item;

    /// A piece.
    #[derive(Clone, PartialEq, Debug, Item)]
    pub struct Piece {
        /// Its number.
        #[item(key)]
        pub id: u32,
        /// Where it stands.
        pub shelf: String,
    }
}

/// Pieces on shelves that are numbered.
pub mod with_shelf_number {
    use usual_tide::Item;

    /// A piece.
    #[derive(Clone, PartialEq, Debug, Item)]
    pub struct Piece {
        /// Its number.
        #[item(key)]
        pub id: u32,
        /// Where it stands.
        pub shelf: u32,
    }
}

/// Pieces that are fired or not.
pub mod with_firing {
    use usual_tide::Item;

    /// A piece.
    #[derive(Clone, PartialEq, Debug, Item)]
    pub struct Piece {
        /// Its number.
        #[item(key)]
        pub id: u32,
        /// Whether it was in the kiln.
        pub fired: bool,
    }
}

/// Pieces of a height.
pub mod with_height {
    use usual_tide::Item;

    /// A piece.
    #[derive(Clone, PartialEq, Debug, Item)]
    pub struct Piece {
        /// Its number.
        #[item(key)]
        pub id: u32,
        /// Its height in millimetres.
        pub height_mm: u32,
    }
}

/// Pieces with a title and a height.
pub mod with_title_and_height {
    use usual_tide::Item;

    /// A piece.
    #[derive(Clone, PartialEq, Debug, Item)]
    pub struct Piece {
        /// Its number.
        #[item(key)]
        pub id: u32,
        /// What it is called.
        pub title: String,
        /// Its height in millimetres.
        pub height_mm: u32,
    }
}

/// Pieces with a title, fired or not.
pub mod with_title_and_firing {
    use usual_tide::Item;

    /// A piece.
    #[derive(Clone, PartialEq, Debug, Item)]
    pub struct Piece {
        /// Its number.
        #[item(key)]
        pub id: u32,
        /// What it is called.
        pub title: String,
        /// Whether it was in the kiln.
        pub fired: bool,
    }
}
