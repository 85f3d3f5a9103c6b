//! The files that a command is asked to write, checked before it does any work: none may be a file
//! that it reads, two may not be the same, and none replaces a file unless that is asked for.

use anyhow::{Context, bail};
use jade_pixels::aside;
use std::io::ErrorKind;
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};

/// A file that the command reads: what it is to the command, and where it lies.
pub type Input<'a> = (&'static str, &'a Path);

/// Files that a command is going to write.
pub struct Outputs {
    /// The option that names each file, and the file.
    files: Vec<(&'static str, PathBuf)>,
    replace: bool,
}

/// The identity of a file, whatever name or link leads to it.
#[derive(PartialEq)]
enum Identity {
    /// Device and number of a file that is there.
    There(u64, u64),
    /// The whole path of one that is not.
    Missing(PathBuf),
}

impl Outputs {
    /// No files yet. With `replace` they may take the place of files that are there.
    pub fn new(replace: bool) -> Self {
        Self { files: vec![], replace }
    }

    /// Adds the file that `option` names, if it names one.
    pub fn and(mut self, option: &'static str, path: Option<&Path>) -> Self {
        self.files.extend(path.map(|path| (option, path.to_owned())));
        self
    }

    /// Makes sure that all files can be written and that nothing is lost by it. Removes what
    /// killed runs left aside in their folders.
    ///
    /// # Errors
    /// One sentence that names the file and says what to do.
    pub fn check<'a>(&self, inputs: impl IntoIterator<Item = Input<'a>>) -> anyhow::Result<()> {
        let mut known: Vec<(Identity, &str)> = Vec::new();
        for (what, path) in inputs {
            // A missing file is reported when it is read.
            known.extend(identity(path).ok().map(|identity| (identity, what)));
        }
        let inputs = known.len();
        for (option, path) in &self.files {
            let shown = path.display();
            if path.file_name().is_none() || path.is_dir() {
                bail!(
                    "{shown}: this is a folder, and {option} is a file; give it a name of its own"
                );
            }
            writable(option, folder_of(path))?;
            let id = identity(path)
                .with_context(|| format!("{shown}: the file of {option} cannot be looked at"))?;
            match known.iter().position(|(other, _)| *other == id) {
                Some(i) if i < inputs => bail!(
                    "{shown}: {option} would replace {}; give the output another name",
                    known[i].1
                ),
                Some(i) => {
                    bail!("{shown}: {option} and {} are one file; give each its own", known[i].1)
                }
                None => known.push((id, option)),
            }
            self.is_free(option, path)?;
        }
        for (_, path) in &self.files {
            aside::sweep(folder_of(path));
        }
        Ok(())
    }

    /// Makes sure that no file has come to lie under the names meanwhile.
    ///
    /// # Errors
    /// One sentence that names the file and says what to do.
    pub fn still_free(&self) -> anyhow::Result<()> {
        self.files.iter().try_for_each(|(option, path)| self.is_free(option, path))
    }

    fn is_free(&self, option: &str, path: &Path) -> anyhow::Result<()> {
        let shown = path.display();
        match path.symlink_metadata() {
            Err(error) if error.kind() == ErrorKind::NotFound => Ok(()),
            Err(error) => bail!("{shown}: the file of {option} cannot be looked at ({error})"),
            Ok(_) if path.exists() && !path.is_file() => {
                bail!(
                    "{shown}: this is no regular file, which {option} would be; give it another name"
                )
            }
            Ok(_) if self.replace => Ok(()),
            Ok(_) => bail!(
                "{shown}: there is a file of this name, and {option} would replace it; give another name, or add --replace"
            ),
        }
    }
}

fn identity(path: &Path) -> std::io::Result<Identity> {
    match path.metadata() {
        Ok(known) => Ok(Identity::There(known.dev(), known.ino())),
        Err(error) if error.kind() == ErrorKind::NotFound => {
            let name = path.file_name().unwrap_or_default();
            Ok(Identity::Missing(folder_of(path).canonicalize()?.join(name)))
        }
        Err(error) => Err(error),
    }
}

fn folder_of(path: &Path) -> &Path {
    path.parent().filter(|folder| *folder != Path::new("")).unwrap_or(Path::new("."))
}

/// Makes sure that a file can be made in a folder, by making one.
fn writable(option: &str, folder: &Path) -> anyhow::Result<()> {
    let shown = folder.display();
    match aside::create(folder, aside::Readers::All) {
        Ok(_) => Ok(()),
        Err(error) if error.kind() == ErrorKind::NotFound => {
            bail!("{shown}: there is no such folder for {option}; make it, or choose another")
        }
        Err(error) => bail!(
            "{shown}: nothing can be written into the folder of {option} ({error}); choose another"
        ),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::os::unix::fs::symlink;

    fn refused(outputs: &Outputs, inputs: &[Input]) -> String {
        outputs.check(inputs.iter().copied()).unwrap_err().to_string()
    }

    #[test]
    fn an_output_is_no_input_whatever_leads_to_it() {
        let folder = tempfile::tempdir().unwrap();
        let at = |name: &str| folder.path().join(name);
        std::fs::write(at("f01.tif"), "light").unwrap();
        symlink(at("f01.tif"), at("link.tif")).unwrap();
        std::fs::hard_link(at("f01.tif"), at("hard.tif")).unwrap();
        std::fs::create_dir(at("in")).unwrap();
        let frame = at("f01.tif");
        for name in ["f01.tif", "link.tif", "hard.tif", "in/../f01.tif"] {
            for replace in [false, true] {
                let outputs = Outputs::new(replace).and("--out", Some(&at(name)));
                let said = refused(&outputs, &[("a frame", &frame)]);
                assert!(said.contains("--out would replace a frame"), "{said}");
            }
        }
    }

    #[test]
    fn two_outputs_are_two_files() {
        let folder = tempfile::tempdir().unwrap();
        let (a, b) = (folder.path().join("a.tif"), folder.path().join("./a.tif"));
        let outputs = Outputs::new(false).and("--out", Some(&a)).and("--report", Some(&b));
        let said = refused(&outputs, &[]);
        assert!(said.contains("--report and --out are one file"), "{said}");
    }

    #[test]
    fn a_file_that_is_there_is_replaced_only_when_asked() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("a.tif");
        let outputs = Outputs::new(false).and("--out", Some(&path));
        assert!(outputs.check([]).is_ok() && outputs.still_free().is_ok());
        std::fs::write(&path, "another").unwrap();
        assert!(refused(&outputs, &[]).contains("add --replace"));
        assert!(outputs.still_free().is_err());
        assert!(Outputs::new(true).and("--out", Some(&path)).check([]).is_ok());
        // A link that leads nowhere is somebody's, too.
        let link = folder.path().join("b.tif");
        symlink(folder.path().join("gone.tif"), &link).unwrap();
        assert!(refused(&Outputs::new(false).and("--out", Some(&link)), &[]).contains("--replace"));
    }

    #[test]
    fn folders_and_devices_are_no_outputs_and_missing_folders_are_told() {
        let folder = tempfile::tempdir().unwrap();
        let said = |path: &Path| refused(&Outputs::new(true).and("--report", Some(path)), &[]);
        assert!(said(folder.path()).contains("this is a folder, and --report"));
        assert!(said(&folder.path().join("not/there.json")).contains("no such folder"));
        assert!(said(Path::new("/dev/null")).contains("no regular file"));
        assert!(std::fs::read_dir(folder.path()).unwrap().next().is_none());
    }
}
