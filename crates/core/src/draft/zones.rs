//! Time zones, found by what people type for them.

use impostazione_net::{ZoneName, nearest_zones};
use jiff::Timestamp;
use jiff::civil::{Date, date};
use jiff::tz::TimeZone;

use super::question::Choice;

/// The most zones that are offered.
const MOST: usize = 8;

/// The zones that somebody may mean: by their names, by a part of them, or by the letters that stand beside the time there.
pub(super) fn zones_like(text: &str, today: Date) -> Vec<Choice> {
    let wanted = text.trim().replace(' ', "_").to_ascii_lowercase();
    let mut found: Vec<String> = nearest_zones(text).into_iter().map(str::to_owned).collect();
    let mut add = |name: &str| {
        if ZoneName::parse(name).is_some() && !found.iter().any(|known| known == name) {
            found.push(name.to_owned());
        }
    };
    let all: Vec<String> = jiff::tz::db().available().map(|name| name.to_string()).collect();
    let is_place = |name: &&String| name.contains('/') && !name.starts_with("Etc/");
    if wanted.len() >= 2 {
        let (general, places): (Vec<&String>, Vec<&String>) = all.iter().partition(|name| !is_place(name));
        for name in general.into_iter().filter(|name| name.eq_ignore_ascii_case(&format!("Etc/{wanted}"))) {
            add(name);
        }
        for name in places.iter().filter(|name| name.to_ascii_lowercase().contains(&wanted)) {
            add(name);
        }
        // Those of Europe first, since the same letters stand for other times elsewhere.
        let by_letters = places.iter().filter(|name| letters(name, today).contains(&wanted));
        let mut by_letters: Vec<&&String> = by_letters.collect();
        by_letters.sort_by_key(|name| !name.starts_with("Europe/"));
        for name in by_letters {
            add(name);
        }
    }
    found.truncate(MOST);
    found.into_iter().map(|name| Choice::new(name.clone(), hours_of(&name, today))).collect()
}

/// What a zone is ahead of UTC, in winter and in summer.
pub(super) fn hours_of(name: &str, today: Date) -> String {
    let Some([first, second]) = halves(name, today) else { return String::new() };
    let ahead = |seconds: i32| {
        let minutes = seconds / 60;
        let sign = if minutes < 0 { '-' } else { '+' };
        let (hours, rest) = (minutes.abs() / 60, minutes.abs() % 60);
        if rest == 0 { format!("UTC{sign}{hours}") } else { format!("UTC{sign}{hours}:{rest:02}") }
    };
    if first.1 == second.1 {
        format!("{} all year, no summer time", ahead(first.1))
    } else {
        let (winter, summer) = (first.1.min(second.1), first.1.max(second.1));
        format!("{}, in summer {}", ahead(winter), ahead(summer))
    }
}

/// The letters that stand beside the time in a zone, in small ones.
fn letters(name: &str, today: Date) -> Vec<String> {
    let halves = halves(name, today).map(|halves| halves.map(|(letters, _)| letters.to_ascii_lowercase()));
    halves.map(|halves| halves.to_vec()).unwrap_or_default()
}

/// The letters and the seconds ahead of UTC of a zone, in January and in July.
fn halves(name: &str, today: Date) -> Option<[(String, i32); 2]> {
    let zone = TimeZone::get(name).ok()?;
    let at = |month| {
        let noon = date(today.year(), month, 1).at(12, 0, 0, 0);
        let moment: Timestamp = TimeZone::UTC.to_timestamp(noon).ok()?;
        let info = zone.to_offset_info(moment);
        Some((info.abbreviation().to_owned(), info.offset().seconds()))
    };
    Some([at(1)?, at(7)?])
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn zones_are_found_by_city_and_by_letters() {
        let today = date(2026, 5, 1);
        let names = |text: &str| zones_like(text, today).into_iter().map(|one| one.word).collect::<Vec<_>>();
        assert_eq!(names("rome").first().map(String::as_str), Some("Europe/Rome"));
        assert!(names("gmt").contains(&"Etc/GMT".to_owned()), "{:?}", names("gmt"));
        assert!(names("gmt").contains(&"Europe/London".to_owned()) || names("gmt").len() == MOST);
        assert!(names("new york").contains(&"America/New_York".to_owned()));
        assert!(names("").is_empty());
    }

    #[test]
    fn summer_time_is_said() {
        let today = date(2026, 5, 1);
        assert_eq!(hours_of("Europe/Rome", today), "UTC+1, in summer UTC+2");
        assert_eq!(hours_of("Etc/UTC", today), "UTC+0 all year, no summer time");
        assert_eq!(hours_of("Asia/Kolkata", today), "UTC+5:30 all year, no summer time");
        assert_eq!(hours_of("Australia/Sydney", today), "UTC+10, in summer UTC+11");
    }
}
