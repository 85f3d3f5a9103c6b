//! Errors of the JSON reader, shortened for a sentence.

/// Why settings cannot be understood, as part of a sentence. The reader's own message repeats what
/// it found in full, however long that is.
pub fn in_brief(error: &serde_json::Error) -> String {
    const LONGEST: usize = 160;
    let said = error.to_string();
    match said.char_indices().nth(LONGEST) {
        Some((end, _)) => {
            let (line, column) = (error.line(), error.column());
            format!("{}... at line {line} column {column}", &said[..end])
        }
        None => said,
    }
}
