//! The handheld burst keeps its promises.

use jade_scenes::kiln_yard::{KilnYard, Options};

fn small(seed: u64) -> KilnYard {
    KilnYard::new(Options { frames: 4, width: 480, height: 320, seed, deflate: true }).unwrap()
}

#[test]
fn the_same_seed_gives_the_same_bytes_and_another_seed_others() {
    let write = |seed| {
        let folder = tempfile::tempdir().unwrap();
        small(seed).write(folder.path(), |_, _| true).unwrap();
        ["f01.tif", "f04.tif", "truth/motion.json", "truth/reference.tif"]
            .map(|name| std::fs::read(folder.path().join(name)).unwrap())
    };
    let (a, b, c) = (write(3), write(3), write(4));
    assert!(a == b, "the same seed, the same bytes");
    assert!(a.iter().zip(&c).all(|(a, c)| a != c), "another seed changes every file");
}

#[test]
fn the_middle_frame_is_the_reference_and_the_others_were_held_differently() {
    let scene = small(8);
    for frame in 0..4 {
        let [x, y] = scene.to_reference(frame, [100.0, 40.0]);
        let moved = (x - 100.0).hypot(y - 40.0);
        assert_eq!(frame == scene.reference(), moved < 1e-6, "frame {frame} moved {moved:.3} px");
        assert!(moved < 20.0);
    }
}

#[test]
fn impossible_sizes_are_refused() {
    let odd = Options { width: 20, ..Options::default() };
    assert!(KilnYard::new(odd).err().unwrap().to_string().contains("sides from 256"));
}
