//! The made-up names, and what the articles cost.

pub(crate) const MONTHS: [&str; 12] =
    ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"];

type Harbour = (&'static str, &'static [&'static str]);

pub(crate) const COASTS: [(&str, &[Harbour]); 4] = [
    (
        "Fell Coast",
        &[
            ("Pellam Quay", &["Kestrel Boatyard", "Haddow, Pike & Daughters", "Slip Nine", "Tidewright"]),
            ("Ternhaven", &["Ternhaven Slipway", "The \"Little Auk\" Yard", "Orrin Marine"]),
            ("Stonewick", &["Stonewick Hull & Rig", "Barrow Keel"]),
        ],
    ),
    (
        "Skerry Coast",
        &[
            ("Vårdsund", &["Båtverksted Lomvi", "Skjell & Sønn", "Nordre Slipp"]),
            ("Grey Holm", &["Greyholm Yachts", "Fathom Five Works", "Quill & Oar"]),
            ("Kittick", &["Kittick Moorings", "Puffin Lane"]),
        ],
    ),
    (
        "Marram Coast",
        &[
            ("Dunmere", &["Dunmere Dock", "Sandpiper Refit", "Marram Spars"]),
            ("Osprey Sands", &["Верфь Тихая", "Osprey Rigging", "Long Reach"]),
        ],
    ),
    (
        "Isle of Tarrow",
        &[
            ("Port Ennor", &["Ennor Boats", "Ναυπηγείο Αύρα", "Gannet & Gull"]),
            ("Sarn Cove", &["Sarn Cove Chandlery", "Driftwood Yard"]),
        ],
    ),
];

/// An article with its price and its cost, in hundredths.
type Article = (&'static str, i64, i64);

pub(crate) const RANGES: [(&str, &[Article]); 6] = [
    (
        "Rope",
        &[
            ("Braidline 10 mm, 50 m", 8_950, 5_480),
            ("Docking warp 16 mm", 4_275, 2_610),
            ("Practice line 6 mm", 590, 745),
            ("Splicing kit", 3_360, 1_890),
        ],
    ),
    (
        "Paint",
        &[
            ("Hullguard red 2.5 l", 7_640, 5_120),
            ("Deck grey 1 l", 2_895, 1_640),
            ("Varnish, seven coat", 4_480, 2_350),
        ],
    ),
    (
        "Lights",
        &[
            ("Masthead lamp", 12_900, 8_240),
            ("Anchor light LED", 6_450, 3_300),
            ("Torch \"Moth\"", 1_995, 2_180),
        ],
    ),
    (
        "Anchors",
        &[
            ("Plough 15 kg", 18_750, 13_300),
            ("Folding 4 kg", 3_240, 1_760),
            ("Chain 8 mm, 30 m", 14_200, 9_850),
        ],
    ),
    (
        "Sailcloth",
        &[
            ("Storm jib 4 m²", 31_500, 22_400),
            ("Repair tape 50 mm", 1_250, 480),
            ("Battens, set of 4", 5_900, 3_450),
        ],
    ),
    ("Engine care", &[("Impeller kit", 4_650, 2_480), ("Winter oil 5 l", 3_890, 2_905)]),
];

pub(crate) const AGENTS: [&str; 6] =
    ["A. Wren", "Ines Corrow", "Tobias Hale", "Mireille Aubade", "J. Okonje", "Siv Lundmark"];

pub(crate) const CHANNELS: [&str; 4] = ["counter", "telephone", "web", "staff"];
