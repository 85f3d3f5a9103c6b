//! JPEG files that are whole are read, in all their forms; damaged ones are refused, with the rows
//! that are good.

use jade_pixels::PictureError;
use jade_pixels::read::PictureFile;
use jpeg_encoder::{ColorType, Encoder, SamplingFactor};
use std::path::Path;

const SIZE: (u16, u16) = (317, 211);

/// How a file is coded.
#[derive(Debug, Clone, Copy)]
struct Form {
    sampling: SamplingFactor,
    progressive: bool,
    restart: u16,
    quality: u8,
}

const PLAIN: Form =
    Form { sampling: SamplingFactor::R_4_2_2, progressive: false, restart: 0, quality: 85 };

/// A textured picture, coded so.
fn jpeg(form: Form) -> Vec<u8> {
    let (width, height) = SIZE;
    let value = |x: u32, y: u32, c: u32| {
        let noise = (x * 7919 + y * 104_729 + c * 31).wrapping_mul(2_654_435_761) >> 27;
        ((x / 2 + y / 3 + c * 40) as u8 / 2).wrapping_add(noise as u8)
    };
    let pixels: Vec<u8> = (0..u32::from(height))
        .flat_map(|y| (0..u32::from(width)).flat_map(move |x| (0..3).map(move |c| value(x, y, c))))
        .collect();
    let mut bytes = vec![];
    let mut encoder = Encoder::new(&mut bytes, form.quality);
    encoder.set_sampling_factor(form.sampling);
    encoder.set_progressive(form.progressive);
    if form.restart > 0 {
        encoder.set_restart_interval(form.restart);
    }
    encoder.set_optimized_huffman_tables(form.quality > 90);
    encoder.encode(&pixels, width, height, ColorType::Rgb).unwrap();
    bytes
}

fn read(bytes: &[u8]) -> Result<Vec<u16>, PictureError> {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("f1.jpg");
    std::fs::write(&path, bytes).unwrap();
    rows(&path)
}

fn rows(path: &Path) -> Result<Vec<u16>, PictureError> {
    let mut all = vec![];
    PictureFile::open(path)?.rows(&mut |_, some| {
        all.extend_from_slice(some);
        Ok(())
    })?;
    Ok(all)
}

fn said(bytes: &[u8]) -> String {
    read(bytes).unwrap_err().to_string()
}

/// The number before `of its 211 rows are good`.
fn good(said: &str) -> usize {
    let before = said.split(" of its 211 rows are good").next().unwrap();
    before.rsplit(' ').next().unwrap().parse().unwrap_or_else(|_| panic!("{said}"))
}

/// The place where entropy-coded data begin.
fn data(bytes: &[u8]) -> usize {
    bytes.windows(2).rposition(|two| two == [0xff, 0xda]).unwrap() + 14
}

#[test]
fn whole_files_of_all_forms_are_read() {
    let samplings = [
        SamplingFactor::R_4_4_4,
        SamplingFactor::R_4_2_0,
        SamplingFactor::R_4_2_2,
        SamplingFactor::R_4_4_0,
    ];
    for sampling in samplings {
        for (progressive, restart) in [(false, 0), (false, 5), (true, 0), (true, 5)] {
            for quality in [40, 98] {
                let form = Form { sampling, progressive, restart, quality };
                let bytes = jpeg(form);
                assert!(read(&bytes).is_ok(), "{form:?}: {:?}", read(&bytes).err());
                // What cameras put behind the end is no damage.
                assert!(read(&[bytes, vec![0; 900]].concat()).is_ok(), "{form:?}");
            }
        }
    }
}

#[test]
fn a_file_that_ends_early_is_refused_with_the_rows_that_are_good() {
    let bytes = jpeg(PLAIN);
    let whole = read(&bytes).unwrap();
    let begin = data(&bytes);
    for share in [1, 3, 5, 7] {
        let cut = begin + (bytes.len() - begin) * share / 8;
        let said = said(&bytes[..cut]);
        assert!(said.starts_with("f1.jpg: ") && said.contains("only the first"), "{said}");
        // A decoder that goes on shows as many rows as they were.
        let rows = good(&said);
        let usual = 211 * share / 8;
        assert!(rows.is_multiple_of(8) && rows.abs_diff(usual) < 24, "{rows} and {usual}");
    }
    let unended = said(&bytes[..bytes.len() - 2]);
    assert!(unended.contains("end-of-image") && good(&unended) == 208, "{unended}");
    assert_eq!(whole.len(), 317 * 211 * 3);
}

#[test]
fn a_stretch_of_zeros_is_found_where_it_begins() {
    for restart in [0, 20] {
        let bytes = jpeg(Form { restart, ..PLAIN });
        let begin = data(&bytes);
        let at = begin + (bytes.len() - begin) * 5 / 8;
        let mut lost = bytes.clone();
        lost[at..at + 400].fill(0);
        let said = said(&lost);
        assert!(said.contains("only the first"), "{said}");
        assert!((104..=144).contains(&good(&said)), "{said}");
        // To the end of the file, as a card that was pulled leaves it.
        let mut rest = bytes.clone();
        rest[at..].fill(0);
        assert!((104..=144).contains(&good(&self::said(&rest))), "{}", self::said(&rest));
    }
}

#[test]
fn a_file_of_fewer_rows_than_its_header_says_is_refused() {
    let mut bytes = jpeg(PLAIN);
    let header = bytes.windows(2).position(|two| two == [0xff, 0xc0]).unwrap();
    bytes[header + 5..header + 7].copy_from_slice(&300u16.to_be_bytes());
    let said = said(&bytes);
    assert!(said.contains("only the first 216 of its 300 rows are good"), "{said}");
}

/// Codes may come right again by chance, after as many blocks as there should be; mostly they do not.
#[test]
fn data_that_are_missing_in_between_are_noticed() {
    let bytes = jpeg(PLAIN);
    let (begin, end) = (data(&bytes), bytes.len() - 2);
    let without = |i: usize| {
        let at = begin + (end - begin) * i / 64;
        let count = 40 + i * 37 % 300;
        [&bytes[..at], &bytes[(at + count).min(end)..]].concat()
    };
    let noticed = (0..60).filter(|i| read(&without(*i)).is_err()).count();
    assert!(noticed >= 54, "{noticed} of 60");
}
