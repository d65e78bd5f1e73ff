//! How far the machines of a site have come while they are waited for: a table in place on stderr where that is a terminal, or else
//! a line for each change.

use std::io::{IsTerminal as _, stderr};
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};

use impostazione_probe::arrival::{Arrival, ArrivalWatch, SharedArrival, Stage};
use impostazione_probe::question::ArrivalPlan;
use impostazione_text::visible::harmless;
use indicatif::{MultiProgress, ProgressBar, ProgressStyle};

use super::arrival_view::of_stage;
use super::probe_view::in_words;
use super::screen::tell;

/// The most machines that the table shows; the others are counted.
const MOST_ROWS: usize = 20;
/// The rows of a terminal that are left to other things.
const OTHER_ROWS: usize = 6;

/// A machine, or the virtual address of a cluster.
struct Row {
    name: String,
    stage: Option<Stage>,
    says: String,
}

/// The table.
pub(crate) struct ArrivalTable {
    rows: Mutex<Vec<Row>>,
    machines: usize,
    began: Instant,
    is_told: bool,
    drawn: Option<Drawn>,
}

/// What is drawn in place.
struct Drawn {
    heading: ProgressBar,
    lines: Vec<ProgressBar>,
    rest: ProgressBar,
    is_colored: bool,
}

impl ArrivalTable {
    /// A table for those who wait; nothing where nobody looks.
    pub(crate) fn new(plan: &ArrivalPlan<'_>, within: Option<Duration>, quiet: bool) -> Self {
        let machines = plan.machines.iter().map(|expected| expected.machine.called().to_owned());
        let shared = plan.shared.iter().map(|shared| format!("cluster {}", shared.cluster.name.value));
        let row = |name| Row { name, stage: None, says: String::new() };
        let rows: Vec<Row> = machines.chain(shared).map(row).collect();
        let is_terminal = stderr().is_terminal();
        let drawn = (!quiet && is_terminal).then(|| Drawn::new(rows.len(), within));
        let table = Self {
            rows: Mutex::new(rows),
            machines: plan.machines.len(),
            began: Instant::now(),
            // Without a wait the report says it all.
            is_told: !quiet && !is_terminal && within.is_some(),
            drawn,
        };
        table.draw();
        table
    }

    /// Takes the table away.
    pub(crate) fn finish(&self) {
        let Some(drawn) = &self.drawn else { return };
        for line in &drawn.lines {
            line.finish_and_clear();
        }
        drawn.rest.finish_and_clear();
        drawn.heading.finish_and_clear();
    }

    fn change(&self, at: usize, stage: Stage, says: &str) {
        let mut rows = self.rows.lock().unwrap_or_else(PoisonError::into_inner);
        let Some(row) = rows.get_mut(at) else { return };
        row.stage = Some(stage);
        row.says = harmless(says);
        if self.is_told {
            let since = self.began.elapsed().as_secs();
            tell(&format!("{since:>5} s  {}  {}: {}\n", row.name, stage.word(), row.says));
        }
        drop(rows);
        self.draw();
    }

    fn draw(&self) {
        let Some(drawn) = &self.drawn else { return };
        let rows = self.rows.lock().unwrap_or_else(PoisonError::into_inner);
        drawn.show(&rows);
    }
}

impl ArrivalWatch for ArrivalTable {
    fn machine(&self, nth: usize, arrival: &Arrival<'_>) {
        self.change(nth, arrival.stage, &arrival.says);
    }

    fn shared(&self, nth: usize, arrival: &SharedArrival) {
        self.change(self.machines + nth, arrival.stage, &arrival.says);
    }
}

impl Drawn {
    fn new(rows: usize, within: Option<Duration>) -> Self {
        let table = MultiProgress::new();
        let heading = table.add(ProgressBar::no_length());
        let at_most = match within {
            Some(within) => format!("of {} at the most", in_words(within.as_secs())),
            None => "one visit to each machine".to_owned(),
        };
        let template =
            format!("asking the machines: {{elapsed}} {at_most}; Ctrl-C ends it with what is known");
        if let Ok(style) = ProgressStyle::with_template(&template) {
            heading.set_style(style);
        }
        heading.enable_steady_tick(Duration::from_millis(500));
        let high = terminal_size::terminal_size().map_or(24, |(_, height)| usize::from(height.0));
        let most = MOST_ROWS.min(high.saturating_sub(OTHER_ROWS)).max(1);
        let line = |_| {
            let line = table.add(ProgressBar::no_length());
            if let Ok(style) = ProgressStyle::with_template("{wide_msg}") {
                line.set_style(style);
            }
            line
        };
        let lines = (0..rows.min(most)).map(line).collect();
        let rest = line(0);
        let is_colored = anstream::AutoStream::choice(&stderr()) != anstream::ColorChoice::Never;
        Self { heading, lines, rest, is_colored }
    }

    /// Shows those first that are not right.
    fn show(&self, rows: &[Row]) {
        let mut order: Vec<&Row> = rows.iter().collect();
        let rank = |row: &Row| {
            row.stage.map_or((0, Stage::Starting), |stage| (usize::from(stage == Stage::Right), stage))
        };
        order.sort_by_key(|row| rank(row).0);
        let widest = order.iter().take(self.lines.len()).map(|row| row.name.len()).max().unwrap_or(0);
        for (line, row) in self.lines.iter().zip(&order) {
            let word = row.stage.map_or("asked", Stage::word);
            let style = row.stage.filter(|_| self.is_colored).map(of_stage).unwrap_or_default();
            let gap = " ".repeat("not known".len().saturating_sub(word.len()));
            let name = &row.name;
            line.set_message(format!("  {name:widest$}  {style} {word} {style:#}{gap} {}", row.says));
        }
        let hidden = order.len().saturating_sub(self.lines.len());
        let count = |is: &dyn Fn(&Row) -> bool| rows.iter().filter(|row| is(row)).count();
        let right = count(&|row| row.stage == Some(Stage::Right));
        let more = match hidden {
            0 => String::new(),
            1 => "; 1 more is not shown".to_owned(),
            more => format!("; {more} more are not shown"),
        };
        self.rest.set_message(format!("  {right} of {} right{more}", rows.len()));
    }
}
