//! Completions and manual pages: what the program offers, and what shells and `man` make of it.

use std::process::Command;

use crate::page::Page;
use crate::support::{Workspace, judge};

/// What a shell would be offered for the last of these words.
fn offered(workspace: &Workspace, words: &[&str]) -> Vec<String> {
    let line = [&["--", "impostazione"], words].concat();
    let mut command = workspace.command(&line);
    command.env("IMPOSTAZIONE_COMPLETE", "bash").env("_CLAP_IFS", "\n");
    command.env("_CLAP_COMPLETE_INDEX", words.len().to_string()).env("_CLAP_COMPLETE_COMP_TYPE", "9");
    let output = command.output().unwrap();
    assert!(output.status.success() && output.stderr.is_empty(), "{output:?}");
    String::from_utf8(output.stdout).unwrap().lines().map(str::to_owned).collect()
}

#[test]
fn names_are_completed_from_the_sheet_and_the_output_on_the_line() {
    let workspace = Workspace::demo();
    assert_eq!(workspace.run(&["render", "harbor.toml", "--into", "output"]).code, 0);
    let gateways = ["gateway-missing", "gateway-outside-subnet", "gateway-unused"];
    assert_eq!(offered(&workspace, &["explain", "gateway-"]), gateways);
    let logbooks = ["logbook-1", "logbook-2", "logbook-3"];
    assert_eq!(offered(&workspace, &["review", "harbor.toml", "--only", "log"]), logbooks);
    assert_eq!(offered(&workspace, &["subnet", "--sheet", "harbor.toml", "qu"]), ["quay"]);
    assert_eq!(offered(&workspace, &["renumber", "harbor.toml", "br"]), ["breakwater"]);
    assert_eq!(offered(&workspace, &["secret", "enter", "harbor.toml", "keeper"]), ["keeper-login"]);
    assert_eq!(offered(&workspace, &["place", "output", "sd-card", "--only", "lamp-n"]), ["lamp-north"]);
    assert!(offered(&workspace, &["check", "slips"]).contains(&"slips.toml".to_owned()));
    workspace.write("torn.toml", "[common\n");
    assert!(offered(&workspace, &["review", "torn.toml", "--only", "ga"]).is_empty());
    assert!(offered(&workspace, &["review", "nowhere.toml", "--only", "ga"]).is_empty());
}

#[test]
fn each_command_has_a_page_and_the_sheet_has_one() {
    let workspace = Workspace::new();
    let mut page = Page::on("manual-page-of-place");
    page.run(&workspace, "man place");
    page.run(&workspace, "man nothing");
    page.run(&workspace, "man --into man");
    page.keep();
    let sheet = workspace.run(&["man", "sheet"]);
    assert!(sheet.stdout.contains("hypervisor_network") && sheet.stdout.contains(".SH [SUBNET.NAME]"));
    assert_eq!(workspace.tree("man").len(), 29);
    assert!(workspace.exists("man/man1/impostazione-secret-enter.1"));
}

#[test]
#[ignore = "needs man of man-db and mandoc"]
fn manual_pages_by_man_and_mandoc() {
    let workspace = Workspace::new();
    assert_eq!(workspace.run(&["man", "--into", "man"]).code, 0);
    for (path, _) in workspace.tree("man") {
        let path = workspace.path().join("man").join(path);
        let mut man = Command::new("man");
        man.env("LC_ALL", "C.UTF-8").args(["--warnings", "-E", "UTF-8", "-l", "-Tutf8", "-Z"]).arg(&path);
        judge(&mut man);
        let lint = Command::new("mandoc").arg("-Tlint").arg(&path).output().unwrap();
        let said = String::from_utf8_lossy(&lint.stdout);
        assert!(lint.status.success() && said.is_empty(), "{}: {said}", path.display());
    }
}

#[test]
#[ignore = "needs bash, zsh and fish"]
fn completions_by_bash_zsh_and_fish() {
    let workspace = Workspace::new();
    let program = assert_cmd::cargo::cargo_bin("impostazione");
    let folder = program.parent().unwrap().display().to_string();
    let path = format!("{folder}:{}", std::env::var("PATH").unwrap());
    for shell in ["bash", "zsh", "fish"] {
        let script = workspace.run(&["completions", shell]);
        assert_eq!((script.code, script.stderr.as_str()), (0, ""));
        workspace.write(shell, script.stdout);
    }
    let by_bash = "source ./bash; COMP_WORDS=(impostazione explain gateway-o); COMP_CWORD=2; COMP_TYPE=9; \
        _clap_complete_impostazione impostazione gateway-o explain; printf '%s\\n' \"${COMPREPLY[@]}\"";
    let by_fish = "source ./fish; complete -C 'impostazione explain gateway-o' | string split -f1 \\t";
    for (shell, line) in [("bash", by_bash), ("fish", by_fish)] {
        let mut command = Command::new(shell);
        command.arg("-c").arg(line).current_dir(workspace.path()).env("PATH", &path);
        command.env("HOME", workspace.path()).env("LC_ALL", "C.UTF-8");
        let output = command.output().unwrap_or_else(|error| panic!("{shell}: {error}"));
        let said = String::from_utf8_lossy(&output.stdout);
        assert_eq!(said.trim(), "gateway-outside-subnet", "{shell}: {output:?}");
    }
    judge(Command::new("zsh").arg("-n").arg(workspace.path().join("zsh")));
}
