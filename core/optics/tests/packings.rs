//! How two eyes lie in files, and what their separation says of the viewer.

use dome_optics::rig::{Packing, PackingError, Side, scale};

/// The ratios of the layouts (the handbook's table): mono 2:1, top-bottom 1:1, side-by-side 4:1, squeezed 2:1; of 180
/// degrees 1:1 and 2:1.
#[test]
fn packings_have_their_ratios() {
    let sphere = (4096, 2048);
    for (name, size) in [
        ("mono", (4096, 2048)),
        ("top-bottom", (4096, 4096)),
        ("side-by-side", (8192, 2048)),
        ("top-bottom:squeezed", (4096, 2048)),
        ("side-by-side:squeezed", (4096, 2048)),
        ("two-files", (4096, 2048)),
        ("top-bottom:right-first", (4096, 4096)),
        ("side-by-side:squeezed:right-first", (4096, 2048)),
    ] {
        let packing: Packing = name.parse().unwrap();
        assert_eq!(packing.to_string(), name);
        assert_eq!(packing.file_size(sphere), size, "{name}");
        assert_eq!(packing.eye_size(size), Ok(sphere), "{name}");
    }
    let front: (u32, u32) = (2048, 2048);
    assert_eq!(Packing::SIDE_BY_SIDE.file_size(front), (4096, 2048));
    assert_eq!(
        "top-bottom:squeezed"
            .parse::<Packing>()
            .unwrap()
            .cell_size(sphere),
        (4096, 1024)
    );
    assert_eq!(
        Packing::SIDE_BY_SIDE.eye_size((4097, 2048)),
        Err(PackingError::Odd {
            side: 4097,
            lower: 4096,
            upper: 4098
        })
    );
    for wrong in [
        "",
        "stacked",
        "mono:squeezed",
        "two-files:right-first",
        "top-bottom:half",
        "top-bottom:squeezed:squeezed",
    ] {
        assert_eq!(
            wrong.parse::<Packing>(),
            Err(PackingError::Unknown(wrong.into()))
        );
    }
    assert_eq!(
        "top-bottom:right-first".parse::<Packing>().unwrap().sides(),
        [Side::Right, Side::Left]
    );
}

#[test]
fn separations_say_who_looks() {
    assert_eq!(scale::viewer(0.063), "a person");
    assert_eq!(scale::viewer(0.063 * 12.0 / 1.7), "a giant 12 m tall");
    assert!(scale::viewer(0.002).starts_with("a mouse"));
    assert!(scale::is_implausible(63.0) && scale::is_implausible(0.000063));
    assert!(!scale::is_implausible(0.063));
}
