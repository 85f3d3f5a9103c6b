//! Counts of the house: how much of it is tests, and its longest files and functions.

use anyhow::{Context, Result};
use std::path::{Path, PathBuf};
use syn::spanned::Spanned;
use syn::visit::Visit;

/// Folders with Rust and with the page's code.
const FOLDERS: [&str; 5] = ["crates", "browser-tests", "fuzz", "xtask", "web/src"];
/// Folders of tests: of crates and of the browser, of killed and starved programs, of damaged files.
const TESTS: [&str; 4] = ["tests", "browser-tests", "trials", "fuzz"];
/// Files and functions that are named.
const NAMED: usize = 5;

/// One source file.
struct Counted {
    path: PathBuf,
    lines: usize,
    /// Lines of it that are tests.
    tests: usize,
    /// Name and lines of each function outside tests.
    functions: Vec<(String, usize)>,
}

/// Prints the counts.
///
/// # Errors
/// Where a file cannot be read or is no Rust.
pub fn counts() -> Result<()> {
    let mut files = vec![];
    for folder in FOLDERS {
        gather(Path::new(folder), &mut files)?;
    }
    let sum = |of: fn(&Counted) -> usize| files.iter().map(of).sum::<usize>();
    let (lines, tests) = (sum(|file| file.lines), sum(|file| file.tests));
    println!(
        "{} files, {lines} lines, {tests} of them tests: {:.1} %",
        files.len(),
        100.0 * tests as f64 / lines as f64
    );
    println!("longest files outside tests:");
    files.sort_by_key(|file| std::cmp::Reverse(file.lines - file.tests));
    for file in files.iter().take(NAMED) {
        println!("  {:5} {}", file.lines - file.tests, file.path.display());
    }
    println!("longest functions outside tests:");
    let mut functions: Vec<(usize, &str, &Path)> = files
        .iter()
        .flat_map(|file| {
            file.functions.iter().map(|(name, lines)| (*lines, name.as_str(), file.path.as_path()))
        })
        .collect();
    functions.sort_by_key(|(lines, ..)| std::cmp::Reverse(*lines));
    for (lines, name, path) in functions.into_iter().take(NAMED) {
        println!("  {lines:5} {name} in {}", path.display());
    }
    Ok(())
}

fn gather(folder: &Path, files: &mut Vec<Counted>) -> Result<()> {
    let entries = std::fs::read_dir(folder).with_context(|| folder.display().to_string())?;
    for entry in entries {
        let path = entry?.path();
        let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
        let ending = path.extension().unwrap_or_default().to_string_lossy().into_owned();
        if path.is_dir() {
            if !["target", "corpus", "artifacts", "node_modules"].contains(&name.as_str()) {
                gather(&path, files)?;
            }
        } else if ending == "rs" {
            files.push(of_rust(path)?);
        } else if ["ts", "vue"].contains(&ending.as_str()) && name != "types.ts" {
            let lines = std::fs::read_to_string(&path)?.lines().count();
            let tests = if name.ends_with(".test.ts") { lines } else { 0 };
            files.push(Counted { path, lines, tests, functions: vec![] });
        }
    }
    Ok(())
}

fn of_rust(path: PathBuf) -> Result<Counted> {
    let text = std::fs::read_to_string(&path)?;
    let syntax = syn::parse_file(&text).with_context(|| path.display().to_string())?;
    let lines = text.lines().count();
    let mut functions = Functions::default();
    functions.visit_file(&syntax);
    let is_test = |part: std::path::Component| TESTS.iter().any(|name| part.as_os_str() == *name);
    let whole =
        path.components().any(is_test) || path.file_name().is_some_and(|name| name == "tests.rs");
    let tests = if whole { lines } else { functions.tests };
    let functions = if whole { vec![] } else { functions.found };
    Ok(Counted { path, lines, tests, functions })
}

/// Collects functions, and counts the lines of inline tests.
#[derive(Default)]
struct Functions {
    found: Vec<(String, usize)>,
    tests: usize,
}

/// Lines from the first to the last of something.
fn lines(of: &impl Spanned) -> usize {
    let span = of.span();
    span.end().line - span.start().line + 1
}

impl<'a> Visit<'a> for Functions {
    fn visit_item_mod(&mut self, module: &'a syn::ItemMod) {
        let for_tests = module.attrs.iter().any(|attribute| {
            attribute.path().is_ident("cfg")
                && attribute.parse_args::<syn::Path>().is_ok_and(|path| path.is_ident("test"))
        });
        match for_tests {
            true => self.tests += lines(module),
            false => syn::visit::visit_item_mod(self, module),
        }
    }

    fn visit_item_fn(&mut self, function: &'a syn::ItemFn) {
        self.found.push((function.sig.ident.to_string(), lines(&function.block)));
        syn::visit::visit_item_fn(self, function);
    }

    fn visit_impl_item_fn(&mut self, function: &'a syn::ImplItemFn) {
        self.found.push((function.sig.ident.to_string(), lines(&function.block)));
        syn::visit::visit_impl_item_fn(self, function);
    }
}
