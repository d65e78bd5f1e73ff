//! Which files of a crate import which.

use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::path::Path;

use syn::visit::{self, Visit};
use syn::{Attribute, ItemMod, ItemUse, UseTree};

/// A file by the path of its module, and those that it imports.
pub(crate) type Imports = BTreeMap<Vec<String>, BTreeSet<Vec<String>>>;

/// The imports among the files below a folder of sources.
pub(crate) fn of_crate(source: &Path) -> Imports {
    let mut texts = BTreeMap::new();
    read(source, &mut Vec::new(), &mut texts);
    let known: BTreeSet<Vec<String>> = texts.keys().cloned().collect();
    texts
        .iter()
        .map(|(module, text)| {
            let mut paths = Paths::default();
            paths.visit_file(&syn::parse_file(text).unwrap());
            let targets = paths.0.iter().filter_map(|path| target(path, module, &known));
            (module.clone(), targets.filter(|target| target != module).collect())
        })
        .collect()
}

fn read(folder: &Path, module: &mut Vec<String>, texts: &mut BTreeMap<Vec<String>, String>) {
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        let name = path.file_stem().unwrap().to_string_lossy().into_owned();
        if path.is_dir() {
            module.push(name);
            read(&path, module, texts);
            module.pop();
        } else if path.extension().is_some_and(|extension| extension == "rs") {
            let mut module = module.clone();
            if !matches!(name.as_str(), "mod" | "lib" | "main") {
                module.push(name);
            }
            texts.insert(module, fs::read_to_string(&path).unwrap());
        }
    }
}

/// The file that a path written in a module leads to: the deepest that its parts name.
fn target(path: &[String], module: &[String], known: &BTreeSet<Vec<String>>) -> Option<Vec<String>> {
    let mut parts = path.iter().peekable();
    let mut at = module.to_vec();
    match parts.peek()?.as_str() {
        "crate" => {
            at.clear();
            parts.next();
        }
        "self" => {
            parts.next();
        }
        "super" => {
            while parts.next_if(|part| *part == "super").is_some() {
                at.pop();
            }
        }
        child => {
            let mut below = at.clone();
            below.push(child.to_owned());
            if !known.contains(&below) {
                return None;
            }
        }
    }
    for part in parts {
        at.push(part.clone());
        if !known.contains(&at) {
            at.pop();
            break;
        }
    }
    known.contains(&at).then_some(at)
}

/// The paths in a file.
#[derive(Default)]
struct Paths(Vec<Vec<String>>);

impl Paths {
    fn add_tree(&mut self, tree: &UseTree, before: &[String]) {
        let with = |name: String| before.iter().cloned().chain([name]).collect::<Vec<_>>();
        match tree {
            UseTree::Path(path) => self.add_tree(&path.tree, &with(path.ident.to_string())),
            UseTree::Name(name) => self.0.push(with(name.ident.to_string())),
            UseTree::Rename(name) => self.0.push(with(name.ident.to_string())),
            UseTree::Glob(_) => self.0.push(before.to_vec()),
            UseTree::Group(group) => group.items.iter().for_each(|item| self.add_tree(item, before)),
        }
    }
}

impl Visit<'_> for Paths {
    fn visit_item_mod(&mut self, item: &ItemMod) {
        if !item.attrs.iter().any(is_for_tests) {
            visit::visit_item_mod(self, item);
        }
    }

    fn visit_item_use(&mut self, item: &ItemUse) {
        self.add_tree(&item.tree, &[]);
    }

    fn visit_path(&mut self, path: &syn::Path) {
        if path.segments.len() > 1 {
            self.0.push(path.segments.iter().map(|segment| segment.ident.to_string()).collect());
        }
        visit::visit_path(self, path);
    }
}

fn is_for_tests(attribute: &Attribute) -> bool {
    attribute.path().is_ident("cfg")
        && attribute.parse_args::<syn::Path>().is_ok_and(|condition| condition.is_ident("test"))
}

/// The circles among files: the largest sets in which each leads to each, of two or more.
pub(crate) fn circles(imports: &Imports) -> Vec<BTreeSet<&Vec<String>>> {
    let reach: BTreeMap<&Vec<String>, BTreeSet<&Vec<String>>> =
        imports.keys().map(|file| (file, reachable(imports, file))).collect();
    let mut found: Vec<BTreeSet<&Vec<String>>> = Vec::new();
    for (file, reached) in &reach {
        let circle: BTreeSet<_> =
            reached.iter().copied().filter(|other| reach[other].contains(file)).collect();
        if circle.len() > 1 && !found.contains(&circle) {
            found.push(circle);
        }
    }
    found
}

fn reachable<'a>(imports: &'a Imports, from: &Vec<String>) -> BTreeSet<&'a Vec<String>> {
    let mut reached = BTreeSet::new();
    let mut next: Vec<&Vec<String>> = imports[from].iter().collect();
    while let Some(file) = next.pop() {
        if reached.insert(file) {
            next.extend(&imports[file]);
        }
    }
    reached
}
