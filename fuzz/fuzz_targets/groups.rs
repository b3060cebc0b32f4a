//! Any bytes are groups or refused, whether their checksum is right or not; what is read builds a cross-tab or an error.
#![no_main]

use libfuzzer_sys::fuzz_target;
use pivvel::result::Groups;
use pivvel::{Brief, Build};

fuzz_target!(|data: &[u8]| {
    let brief = Brief::new()
        .rows(["coast"])
        .columns(["sold_on.month"])
        .measure(("sales", "sum(amount)"))
        .measure(("clients", "distinct(client)"))
        .measure(("middle", "median(amount)"));
    let mut signed = data.to_vec();
    signed.extend(b"pivvel-2");
    signed.extend(crc32fast::hash(&signed).to_le_bytes());
    for bytes in [data, &signed] {
        if let Ok(groups) = Groups::from_bytes("fuzzed", bytes) {
            let _ = Build::new().threads(1).from_groups(&brief, &[groups]);
        }
    }
});
