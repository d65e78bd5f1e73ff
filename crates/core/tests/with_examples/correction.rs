//! Corrections that leave everything else in a sheet as it is.

use impostazione_core::finding::correct_sheet;

use super::support::{BASE, assess_text};

#[test]
fn values_are_replaced_and_everything_else_is_kept() {
    let sheet = BASE
        .replace("\"10.64.10.0/24\"", "'10.64.10.0 255.255.255.0'   # the quay, à mano")
        .replace("\"capovetro.example\"", "\"capovetro.example.\"")
        .replace("\"gauge-01\"", "\"Gauge-01\"");
    let assessment = assess_text(&sheet);
    let mended = correct_sheet(&assessment.sources, &assessment.findings).remove(0);
    let meant = BASE.replace("\"10.64.10.0/24\"", "\"10.64.10.0/255.255.255.0\"   # the quay, à mano");
    assert_eq!(mended.text, meant);
    assert_eq!(mended.parts.len(), 3);
    assert!(assess_text(&mended.text).findings.is_empty());
    let again = assess_text(&mended.text);
    assert_eq!(correct_sheet(&again.sources, &again.findings), []);
}

#[test]
fn what_a_pattern_makes_is_left_for_a_person() {
    let sheet = BASE
        .replace("\"gauge-01\"", "\"Gauge-{01..02}\"")
        .replace("\"10.64.10.11\"", "\"10.64.10.{11..12}\"");
    let assessment = assess_text(&sheet);
    assert_eq!(assessment.findings.len(), 2);
    assert_eq!(correct_sheet(&assessment.sources, &assessment.findings), []);
}
