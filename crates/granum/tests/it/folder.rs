//! A folder with a plan and its files, and the program run in it.

use std::fs;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

use tempfile::TempDir;

use super::schema;

/// A temporary folder.
pub struct Folder {
    dir: TempDir,
}

/// What the program said, and how it ended.
#[derive(Debug)]
pub struct Ran {
    pub code: i32,
    pub out: String,
    pub err: String,
}

impl Folder {
    pub fn new() -> Self {
        Self { dir: TempDir::new().unwrap() }
    }

    pub fn path(&self) -> &Path {
        self.dir.path()
    }

    /// Writes a file; folders in its name are made.
    pub fn file(&self, name: &str, content: impl AsRef<[u8]>) -> &Self {
        let path = self.dir.path().join(name);
        fs::create_dir_all(path.parent().unwrap()).unwrap();
        fs::write(path, content).unwrap();
        self
    }

    /// Writes the plan `p.granum`.
    pub fn plan(&self, text: &str) -> &Self {
        self.file("p.granum", text)
    }

    pub fn command(&self, args: &[&str]) -> Command {
        let mut command = Command::new(env!("CARGO_BIN_EXE_granum"));
        command.args(args).current_dir(self.dir.path()).env_clear().stdin(Stdio::null());
        command
    }

    pub fn granum(&self, args: &[&str]) -> Ran {
        let output = self.command(args).output().unwrap();
        let ran = Ran {
            code: output.status.code().unwrap(),
            out: String::from_utf8(output.stdout).unwrap(),
            err: String::from_utf8(output.stderr).unwrap(),
        };
        // What is wrong with a call is told as text.
        if args.ends_with(&["--format", "json"]) && !ran.err.starts_with("error: ") {
            schema::document_holds(&ran.out);
        }
        ran
    }

    /// Runs `p.granum`.
    pub fn run(&self) -> Ran {
        self.granum(&["run", "p.granum"])
    }

    pub fn read(&self, name: &str) -> String {
        fs::read_to_string(self.dir.path().join(name)).unwrap()
    }

    pub fn exists(&self, name: &str) -> bool {
        self.dir.path().join(name).exists()
    }

    /// All files below the folder, by their names, sorted.
    pub fn names(&self) -> Vec<String> {
        let mut names = vec![];
        let mut folders: Vec<PathBuf> = vec![self.dir.path().to_owned()];
        while let Some(folder) = folders.pop() {
            for entry in fs::read_dir(folder).unwrap() {
                let path = entry.unwrap().path();
                if path.is_dir() {
                    folders.push(path);
                } else {
                    let name = path.strip_prefix(self.dir.path()).unwrap();
                    names.push(name.to_string_lossy().into_owned());
                }
            }
        }
        names.sort();
        names
    }
}

impl Ran {
    /// Asserts how it ended.
    #[track_caller]
    pub fn code(self, code: i32) -> Self {
        assert_eq!(self.code, code, "out:\n{}\nerr:\n{}", self.out, self.err);
        self
    }

    /// Asserts that the result has some text.
    #[track_caller]
    pub fn says(self, text: &str) -> Self {
        assert!(self.out.contains(text), "no\n{text}\nin\n{}\nerr:\n{}", self.out, self.err);
        self
    }

    /// Asserts that a diagnostic has some text.
    #[track_caller]
    pub fn complains(self, text: &str) -> Self {
        assert!(self.err.contains(text), "no\n{text}\nin\n{}\nout:\n{}", self.err, self.out);
        self
    }
}

/// Orders, lines and customers as small as can be: two orders of three lines, one line without an
/// order.
pub fn shop() -> Folder {
    let folder = Folder::new();
    folder
        .file(
            "orders.csv",
            "order_no,ordered_on,customer_no,freight\n\
             M1,2026-03-01,C1,4.00\n\
             M2,2026-03-02,,0.00\n",
        )
        .file(
            "lines.csv",
            "order_no,line_no,quantity,net\n\
             M1,1,3,10.00\n\
             M1,2,1,5.50\n\
             M2,1,2,7.01\n\
             M9,1,1,2.00\n",
        )
        .file("customers.csv", "customer_no,name\nC1,Ansa Fernacre\nC2,Brim Mossback\n");
    folder
}

/// A plan for [`shop`] without table, check or output.
pub const SHOP: &str = "\
input orders from \"orders.csv\"
  grain order_no
  track freight

input lines from \"lines.csv\"
  grain order_no, line_no
  track quantity, net

input customers from \"customers.csv\"
  grain customer_no

";

/// Bytes as Zstandard packs them.
pub fn zstandard(bytes: &[u8]) -> Vec<u8> {
    ruzstd::encoding::compress_to_vec(bytes, ruzstd::encoding::CompressionLevel::Fastest)
}
