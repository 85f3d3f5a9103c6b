//! Lines for the person. File names may hold anything, and a terminal obeys some of it.

use std::fmt::Display;

/// Writes a line to stderr.
pub fn say(line: impl Display) {
    eprintln!("{}", printable(line));
}

/// Writes a line of the command's own output.
pub fn tell(line: impl Display) {
    println!("{}", printable(line));
}

/// Text with its control characters written out, as `\u{1b}`; lines stay apart.
fn printable(text: impl Display) -> String {
    let mut out = String::new();
    for c in text.to_string().chars() {
        match c {
            '\n' => out.push(c),
            c if c.is_control() => out.extend(c.escape_default()),
            c => out.push(c),
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::printable;

    #[test]
    fn a_name_cannot_command_the_terminal() {
        assert_eq!(printable("f\u{1b}[31m\r.tif: ä 小"), "f\\u{1b}[31m\\r.tif: ä 小");
    }
}
