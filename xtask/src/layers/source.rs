//! A crate's modules as its source files declare them, with the names that each one imports and mentions.

use anyhow::{Context, Result, bail};
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use syn::visit::Visit;

/// Index of a module in [`Source::modules`].
pub type ModuleId = usize;

/// One file of a crate. What stands in an inline `mod name { … }` belongs to the file around it.
pub struct Module {
    /// The file, relative to the folder that the check runs in.
    pub file: PathBuf,
    /// The module that declares this one; none for the crate's root.
    pub parent: Option<ModuleId>,
    /// Modules declared here that have files of their own.
    pub children: BTreeMap<String, ModuleId>,
    /// Imported names and the paths that they stand for.
    pub imports: BTreeMap<String, Vec<String>>,
    /// Every path that is imported or mentioned.
    pub paths: Vec<Vec<String>>,
}

/// All modules of a crate; the root is the first.
pub struct Source {
    pub modules: Vec<Module>,
}

impl Source {
    /// Reads a crate from its root file.
    ///
    /// # Errors
    /// Where a file is missing or is no Rust.
    pub fn read(root: &Path) -> Result<Self> {
        let mut source = Self { modules: vec![] };
        let folder = root.parent().context("a root file lies in a folder")?;
        source.add(root.to_owned(), folder.to_owned(), None)?;
        Ok(source)
    }

    /// Adds a file; `folder` is where the files of its children lie.
    fn add(
        &mut self,
        file: PathBuf,
        folder: PathBuf,
        parent: Option<ModuleId>,
    ) -> Result<ModuleId> {
        let text = std::fs::read_to_string(&file).with_context(|| file.display().to_string())?;
        let syntax = syn::parse_file(&text).with_context(|| file.display().to_string())?;
        let mut mentioned = Mentioned::default();
        mentioned.visit_file(&syntax);
        let id = self.modules.len();
        self.modules.push(Module {
            file,
            parent,
            children: BTreeMap::new(),
            imports: mentioned.imports,
            paths: mentioned.paths,
        });
        for name in mentioned.children {
            let beside = folder.join(format!("{name}.rs"));
            let within = folder.join(&name).join("mod.rs");
            let file = match (beside.exists(), within.exists()) {
                (true, _) => beside,
                (false, true) => within,
                _ => bail!("{}: module {name} has no file", folder.display()),
            };
            let child = self.add(file, folder.join(&name), Some(id))?;
            self.modules[id].children.insert(name, child);
        }
        Ok(id)
    }

    /// The modules that a path in `from` depends on: those whose re-exports it passes, in order, and
    /// last the one that defines what it leads to. Empty where that is outside the crate or local to a
    /// function.
    pub fn modules_of(&self, from: ModuleId, path: &[String]) -> Vec<ModuleId> {
        let mut passed = vec![];
        match self.resolve(from, path, &mut passed) {
            Some(defining) => passed.into_iter().chain([defining]).collect(),
            None => vec![],
        }
    }

    fn resolve(
        &self,
        from: ModuleId,
        path: &[String],
        passed: &mut Vec<ModuleId>,
    ) -> Option<ModuleId> {
        let (first, rest) = path.split_first()?;
        match first.as_str() {
            "crate" => self.descend(0, rest, passed),
            "self" => self.descend(from, rest, passed),
            "super" => self.descend(self.modules[from].parent?, rest, passed),
            name => {
                let module = &self.modules[from];
                if module.children.contains_key(name) {
                    return self.descend(from, path, passed);
                }
                let import = module.imports.get(name)?;
                if import.first() == Some(first) {
                    return None;
                }
                let whole: Vec<String> = import.iter().chain(rest).cloned().collect();
                self.resolve(from, &whole, passed)
            }
        }
    }

    /// Follows a path from a module down, through re-exports.
    fn descend(
        &self,
        module: ModuleId,
        path: &[String],
        passed: &mut Vec<ModuleId>,
    ) -> Option<ModuleId> {
        let Some((first, rest)) = path.split_first() else { return Some(module) };
        if first == "super" {
            return self.descend(self.modules[module].parent?, rest, passed);
        }
        if let Some(&child) = self.modules[module].children.get(first) {
            return self.descend(child, rest, passed);
        }
        if let Some(import) = self.modules[module].imports.get(first) {
            let whole: Vec<String> = import.iter().chain(rest).cloned().collect();
            // Imports that lead to each other cannot be compiled; they still must not hang this check.
            if passed.contains(&module) {
                return None;
            }
            passed.push(module);
            return self.resolve(module, &whole, passed);
        }
        Some(module)
    }
}

/// Collects what a file declares, imports and mentions, its tests left out.
#[derive(Default)]
struct Mentioned {
    children: Vec<String>,
    imports: BTreeMap<String, Vec<String>>,
    paths: Vec<Vec<String>>,
}

impl Mentioned {
    fn import(&mut self, tree: &syn::UseTree, before: &[String]) {
        let with = |ident: &syn::Ident| {
            let mut path = before.to_vec();
            path.push(ident.to_string());
            path
        };
        match tree {
            syn::UseTree::Path(path) => self.import(&path.tree, &with(&path.ident)),
            syn::UseTree::Name(name) if name.ident == "self" => {
                if let Some(last) = before.last() {
                    self.imports.insert(last.clone(), before.to_vec());
                }
            }
            syn::UseTree::Name(name) => {
                self.imports.insert(name.ident.to_string(), with(&name.ident));
                self.paths.push(with(&name.ident));
            }
            syn::UseTree::Rename(rename) => {
                self.imports.insert(rename.rename.to_string(), with(&rename.ident));
                self.paths.push(with(&rename.ident));
            }
            syn::UseTree::Glob(_) => self.paths.push(before.to_vec()),
            syn::UseTree::Group(group) => {
                group.items.iter().for_each(|tree| self.import(tree, before));
            }
        }
    }

    /// Takes the paths out of a macro's arguments, which are not parsed as Rust.
    fn tokens(&mut self, tokens: proc_macro2::TokenStream) {
        let mut path: Vec<String> = vec![];
        let mut colons = 0;
        for token in tokens {
            match token {
                proc_macro2::TokenTree::Ident(ident) => {
                    if colons != 2 {
                        self.mention(std::mem::take(&mut path));
                    }
                    path.push(ident.to_string());
                    colons = 0;
                }
                proc_macro2::TokenTree::Punct(punct) if punct.as_char() == ':' => colons += 1,
                proc_macro2::TokenTree::Group(group) => {
                    self.mention(std::mem::take(&mut path));
                    colons = 0;
                    self.tokens(group.stream());
                }
                _ => {
                    self.mention(std::mem::take(&mut path));
                    colons = 0;
                }
            }
        }
        self.mention(path);
    }

    fn mention(&mut self, path: Vec<String>) {
        if path.len() > 1 {
            self.paths.push(path);
        }
    }
}

/// Whether an item is compiled for tests alone.
fn for_tests(attributes: &[syn::Attribute]) -> bool {
    attributes.iter().any(|attribute| {
        attribute.path().is_ident("cfg")
            && attribute.parse_args::<syn::Path>().is_ok_and(|path| path.is_ident("test"))
    })
}

impl<'a> Visit<'a> for Mentioned {
    fn visit_item_mod(&mut self, module: &'a syn::ItemMod) {
        if for_tests(&module.attrs) {
            return;
        }
        match &module.content {
            Some(_) => syn::visit::visit_item_mod(self, module),
            None => self.children.push(module.ident.to_string()),
        }
    }

    fn visit_item_fn(&mut self, function: &'a syn::ItemFn) {
        if !for_tests(&function.attrs) {
            syn::visit::visit_item_fn(self, function);
        }
    }

    fn visit_item_use(&mut self, import: &'a syn::ItemUse) {
        if !for_tests(&import.attrs) {
            self.import(&import.tree, &[]);
        }
    }

    fn visit_path(&mut self, path: &'a syn::Path) {
        self.mention(path.segments.iter().map(|segment| segment.ident.to_string()).collect());
        syn::visit::visit_path(self, path);
    }

    fn visit_macro(&mut self, called: &'a syn::Macro) {
        self.tokens(called.tokens.clone());
        syn::visit::visit_macro(self, called);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn crate_of(files: &[(&str, &str)]) -> (tempfile::TempDir, Source) {
        let folder = tempfile::tempdir().unwrap();
        for (name, text) in files {
            let path = folder.path().join(name);
            std::fs::create_dir_all(path.parent().unwrap()).unwrap();
            std::fs::write(path, text).unwrap();
        }
        let source = Source::read(&folder.path().join("lib.rs")).unwrap();
        (folder, source)
    }

    fn path(text: &str) -> Vec<String> {
        text.split("::").map(str::to_owned).collect()
    }

    #[test]
    fn a_path_leads_through_reexports_to_the_file_that_defines_it() {
        let (_folder, source) = crate_of(&[
            ("lib.rs", "mod sky;\nmod ground;\npub use sky::Star;"),
            ("sky/mod.rs", "mod star;\npub use star::Star;"),
            ("sky/star.rs", "pub struct Star;"),
            (
                "ground.rs",
                "use crate::Star;\nfn at(star: &Star) -> crate::sky::Star { super::sky::Star }",
            ),
        ]);
        let file = |id: ModuleId| source.modules[id].file.file_name().unwrap().to_owned();
        let ground = source.modules[0].children["ground"];
        for text in ["crate::Star", "crate::sky::Star", "super::sky::Star", "Star"] {
            let found = source.modules_of(ground, &path(text));
            assert_eq!(file(*found.last().unwrap()), "star.rs", "{text}");
        }
        let through_the_face = source.modules_of(ground, &path("crate::sky::Star"));
        assert_eq!(
            through_the_face.into_iter().map(file).collect::<Vec<_>>(),
            ["mod.rs", "star.rs"]
        );
        assert_eq!(source.modules_of(ground, &path("std::fs::read")), Vec::<ModuleId>::new());
    }

    #[test]
    fn tests_are_left_out_and_paths_in_macros_are_not() {
        let (_folder, source) = crate_of(&[
            ("lib.rs", "mod sky;\nmod ground;"),
            ("sky.rs", "pub fn dark() -> bool { assert!(super::ground::flat()); true }"),
            (
                "ground.rs",
                "pub fn flat() -> bool { true }\n#[cfg(test)]\nmod tests { use crate::sky::dark; }",
            ),
        ]);
        let paths = |name: &str| source.modules[source.modules[0].children[name]].paths.clone();
        assert!(paths("sky").contains(&path("super::ground::flat")));
        assert_eq!(paths("ground"), Vec::<Vec<String>>::new());
    }
}
