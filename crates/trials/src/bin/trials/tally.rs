//! What came of the trials.

use std::fmt::Write;

/// One kind of trial.
#[derive(Debug, Clone, Default)]
pub struct Tally {
    pub what: String,
    /// Tries.
    pub tried: u32,
    /// Came to a right result, or left what was there as it was.
    pub right: u32,
    /// Refused, or failed, with a sentence.
    pub refused: u32,
    /// Gave another picture where the format has nothing by which that could be seen.
    pub unseen: u32,
    /// Lost something: an original, a frame, a setting, a finished file.
    pub lost: Vec<String>,
    /// Gave a wrong picture without a word.
    pub wrong: Vec<String>,
    pub panics: Vec<String>,
    pub hangs: Vec<String>,
}

/// All of them.
#[derive(Debug, Default)]
pub struct Book {
    tallies: Vec<Tally>,
    /// What could not be tried here, and why.
    left_out: Vec<String>,
}

impl Tally {
    pub fn of(what: &str) -> Self {
        Self { what: what.to_owned(), ..Self::default() }
    }
}

impl Book {
    pub fn add(&mut self, tally: Tally) {
        eprintln!(
            "{}: {} tried, {} right, {} refused, {} unseen, {} lost, {} wrong, {} panics, {} hangs",
            tally.what,
            tally.tried,
            tally.right,
            tally.refused,
            tally.unseen,
            tally.lost.len(),
            tally.wrong.len(),
            tally.panics.len(),
            tally.hangs.len()
        );
        self.tallies.push(tally);
    }

    pub fn leave_out(&mut self, what: &str) {
        eprintln!("left out: {what}");
        self.left_out.push(what.to_owned());
    }

    /// All that went wrong.
    pub fn bad(&self) -> Vec<String> {
        let mut all = vec![];
        for tally in &self.tallies {
            let kinds = [
                ("lost", &tally.lost),
                ("silently wrong", &tally.wrong),
                ("panic", &tally.panics),
                ("hang", &tally.hangs),
            ];
            for (kind, notes) in kinds {
                all.extend(notes.iter().map(|note| format!("{}: {kind}: {note}", tally.what)));
            }
        }
        all
    }

    pub fn table(&self) -> String {
        let mut text = String::from(
            "| Trial | Tried | Right | Refused | Unseen | Lost | Silently wrong | Panics | Hangs |\n|---|--:|--:|--:|--:|--:|--:|--:|--:|\n",
        );
        for tally in &self.tallies {
            let counts = [
                tally.tried,
                tally.right,
                tally.refused,
                tally.unseen,
                tally.lost.len() as u32,
                tally.wrong.len() as u32,
                tally.panics.len() as u32,
                tally.hangs.len() as u32,
            ];
            let _ = write!(text, "| {} |", tally.what);
            for count in counts {
                let _ = write!(text, " {count} |");
            }
            text.push('\n');
        }
        text
    }

    /// The text of docs/reliability.md; `sentences` counts the different ones that the program said.
    pub fn document(&self, sentences: usize) -> String {
        let mut text = format!(
            "# What it withstands\n\n\
             `cargo xtask trials` makes these trials anew and writes this page. The program is killed at \
             moments that a seeded generator chooses, the disk has too little room, files are damaged, and \
             plans ask for extremes. It said {sentences} different sentences meanwhile, numbers aside; \
             `target/trials/messages.txt` lists them.\n\n{}\n\
             - **Right**: the result is the one of an undisturbed run, byte for byte, or what was there \
             before is there still; for broken files, the picture is the one of the whole file; an extreme plan gave a \
             picture, and an extreme setting was taken.\n\
             - **Refused**: a sentence says which file or setting, what is wrong and what to do.\n\
             - **Unseen**: another picture came out, and the format has nothing by which that could be seen: \
             no checksum over its pixels, or a header that says another thing that is possible too.\n\
             - **Lost**, **silently wrong**, **panics**, **hangs**: none may be.\n",
            self.table()
        );
        for what in &self.left_out {
            let _ = write!(text, "\nLeft out where this was written: {what}.\n");
        }
        text
    }
}
