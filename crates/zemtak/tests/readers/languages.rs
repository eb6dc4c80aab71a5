//! How each language's reader and the program that asks it are built and run.

use std::path::{Path, PathBuf};
use std::process::Command;

/// A language.
pub struct Language {
    pub name: &'static str,
    /// What `zemtak reader` is asked for.
    readers: &'static [&'static str],
    /// The program that asks.
    driver: &'static str,
    /// Command lines that build it.
    build: &'static [&'static [&'static str]],
    /// The command line that runs it.
    run: &'static [&'static str],
    /// Who reads its JSON.
    pub json: Json,
    /// The heading in docs/languages.md under which its example stands, and the example's file in the place of the driver.
    example: (&'static str, &'static str),
}

/// Who reads a language's JSON.
#[derive(PartialEq)]
pub enum Json {
    /// The language's own library, which says in its own way what is wrong.
    Library,
    /// The reader, into strings of UTF-8.
    Utf8,
    /// The reader, into strings of UTF-16, where half of a surrogate pair may stand alone.
    Utf16,
}

/// What warns of everything, and finds what is wrong while it runs.
macro_rules! gcc {
    ($compiler:literal, $standard:literal, $driver:literal) => {
        &[
            $compiler,
            $standard,
            "-Wall",
            "-Wextra",
            "-Wpedantic",
            "-Wshadow",
            "-Wconversion",
            "-Werror",
            "-O1",
            "-fsanitize=address,undefined",
            "-fno-sanitize-recover=all",
            $driver,
            "-o",
            "driver",
            "-lm",
        ]
    };
}

pub const C: Language = Language {
    name: "C",
    readers: &["c"],
    driver: "driver.c",
    build: &[gcc!("cc", "-std=c99", "driver.c")],
    run: &["./driver"],
    json: Json::Utf8,
    example: ("C", "example.c"),
};

pub const CPP: Language = Language {
    name: "C++",
    readers: &["c", "c++"],
    driver: "driver.cpp",
    build: &[gcc!("c++", "-std=c++17", "driver.cpp")],
    run: &["./driver"],
    json: Json::Utf8,
    example: ("C++", "example.cpp"),
};

/// The other compiler for both.
pub const C_BY_CLANG: Language = Language { name: "C by clang", build: &[gcc!("clang", "-std=c99", "driver.c")], ..C };

/// In a program that speaks a language in which numbers have commas.
pub const C_WITH_COMMAS: Language = Language {
    name: "C with commas",
    build: &[
        &["mkdir", "locales"],
        &["localedef", "-i", "de_DE", "-f", "UTF-8", "locales/de_DE.UTF-8"],
        gcc!("cc", "-std=c99", "driver.c"),
    ],
    run: &["env", "LOCPATH=locales", "LC_ALL=de_DE.UTF-8", "WITH_COMMAS=1", "./driver"],
    ..C
};

pub const C_SHARP: Language = Language {
    name: "C#",
    readers: &["c#"],
    driver: "Driver.cs",
    build: &[&["mcs", "-warn:4", "-warnaserror", "-out:driver.exe", "ZemtakReader.cs", "Driver.cs"]],
    run: &["mono", "driver.exe"],
    json: Json::Utf16,
    example: ("C#", "Program.cs"),
};

pub const JAVA: Language = Language {
    name: "Java",
    readers: &["java"],
    driver: "Driver.java",
    build: &[&["javac", "--release", "17", "-Xlint:all", "-Werror", "ZemtakReader.java", "Driver.java"]],
    run: &["java", "-cp", ".", "Driver"],
    json: Json::Utf16,
    example: ("Java", "Program.java"),
};

pub const JAVASCRIPT: Language = Language {
    name: "JavaScript",
    readers: &["javascript"],
    driver: "driver.mjs",
    build: &[MODULES],
    run: &["node", "driver.mjs"],
    json: Json::Library,
    example: ("JavaScript and TypeScript", "example.mjs"),
};

pub const TYPESCRIPT: Language = Language {
    name: "TypeScript",
    readers: &["typescript"],
    driver: "driver.mjs",
    build: &[
        MODULES,
        &[
            "tsc",
            "--strict",
            "--noUnusedLocals",
            "--noUnusedParameters",
            "--noImplicitReturns",
            "--target",
            "es2020",
            "--module",
            "es2020",
            "--lib",
            "es2020",
            "zemtak-reader.ts",
        ],
    ],
    run: &["node", "driver.mjs"],
    json: Json::Library,
    example: ("JavaScript and TypeScript", "example.mjs"),
};

/// Says that files that end in `.js` are modules.
const MODULES: &[&str] = &["sh", "-c", "echo '{ \"type\": \"module\" }' > package.json"];

pub const LUA_5_1: Language = Language {
    name: "Lua 5.1",
    readers: &["lua"],
    driver: "driver.lua",
    build: &[],
    run: &["lua5.1", "driver.lua"],
    json: Json::Utf8,
    example: ("Lua", "example.lua"),
};

pub const LUA_5_4: Language = Language { name: "Lua 5.4", run: &["lua5.4", "driver.lua"], ..LUA_5_1 };

pub const LUAJIT: Language = Language { name: "LuaJIT", run: &["luajit", "driver.lua"], ..LUA_5_1 };

pub const PYTHON: Language = Language {
    name: "Python",
    readers: &["python"],
    driver: "driver.py",
    build: &[],
    run: &["python3", "driver.py"],
    json: Json::Library,
    example: ("Python", "example.py"),
};

/// A program that asks a reader.
pub struct Reader<'a> {
    language: &'a Language,
    folder: PathBuf,
    /// The program's source file.
    file: &'static str,
}

impl Language {
    /// Puts reader and the program that asks it into a folder, and builds them there.
    pub fn build(&self, folder: &Path) -> Reader<'_> {
        let drivers = Path::new(concat!(env!("CARGO_MANIFEST_DIR"), "/tests/readers"));
        let driver = std::fs::read_to_string(drivers.join(self.driver)).unwrap();
        self.build_with(&folder.join("reader"), (self.driver, &driver))
    }

    /// What the example in the docs says of an atlas that lies in a folder.
    pub fn example(&self, folder: &Path) -> String {
        let (heading, file) = self.example;
        let guide = include_str!("../../../../docs/languages.md");
        let part = guide.split(&format!("\n### {heading}\n")).nth(1).unwrap();
        let code = part.split("```").nth(1).unwrap().split_once('\n').unwrap().1;
        let built = self.build_with(&folder.join("example"), (file, code));
        std::fs::copy(folder.join("night.zemtak.json"), built.folder.join("night.zemtak.json")).unwrap();
        built.run(&[])
    }

    fn build_with(&self, folder: &Path, (file, code): (&'static str, &str)) -> Reader<'_> {
        let folder = folder.to_owned();
        std::fs::create_dir(&folder).unwrap();
        for reader in self.readers {
            let tool = Command::new(env!("CARGO_BIN_EXE_zemtak")).args(["reader", reader, "--json"]).output().unwrap();
            let said: serde_json::Value = serde_json::from_slice(&tool.stdout).unwrap();
            std::fs::write(folder.join(said["file"].as_str().unwrap()), said["text"].as_str().unwrap()).unwrap();
        }
        std::fs::write(folder.join(file), code).unwrap();
        let reader = Reader { language: self, folder, file };
        for line in self.build {
            run(&reader.words(line), &[], &reader.folder);
        }
        reader
    }
}

impl Reader<'_> {
    /// What the program answers.
    pub fn run(&self, words: &[PathBuf]) -> String {
        run(&self.words(self.language.run), words, &self.folder)
    }

    /// A command line with this program's names in the place of the driver's.
    fn words(&self, line: &[&'static str]) -> Vec<&'static str> {
        let stem = |file: &'static str| file.split_once('.').map_or(file, |(stem, _)| stem);
        let (driver, file) = (self.language.driver, self.file);
        let word = |word: &&'static str| match *word {
            word if word == driver => file,
            word if word == stem(driver) && word.starts_with(char::is_uppercase) => stem(file),
            word => word,
        };
        line.iter().map(word).collect()
    }
}

fn run(line: &[&str], words: &[PathBuf], folder: &Path) -> String {
    let output = Command::new(line[0]).args(&line[1..]).args(words).current_dir(folder).output();
    let output = output.unwrap_or_else(|error| panic!("{}: {error}", line[0]));
    let err = String::from_utf8_lossy(&output.stderr);
    assert!(output.status.success(), "{line:?}: {}\n{err}", output.status);
    String::from_utf8(output.stdout).unwrap()
}
