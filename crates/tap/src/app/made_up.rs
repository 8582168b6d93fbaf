//! Programs that show made-up sessions.

use super::App;
use crate::rooms::RoomId;
use crate::rooms::panel::RowKind;
use crate::session::{Session, Source, Stage};
use amber_core::Stamp;
use amber_core::bench::Shared;
use amber_core::chain::Chain;
use amber_io::take::OpenedTake;
use std::path::PathBuf;

impl App {
    pub(crate) fn live(chain: Chain, shared: Shared, folder: PathBuf, bench_file: Option<PathBuf>, now: Stamp) -> App {
        App::new(Session::live(chain, shared, folder, bench_file, now))
    }

    pub(crate) fn take(chain: Chain, shared: Shared, take: OpenedTake, bench_file: Option<PathBuf>) -> App {
        App::new(Session::take(chain, shared, take, bench_file))
    }

    pub(crate) fn beside(self, others: impl IntoIterator<Item = (Chain, Source)>) -> App {
        App { session: self.session.beside(others), ..self }
    }
}

/// What tests do in panels.
impl App {
    /// The names of a stage's rows that can be selected.
    pub(crate) fn row_names(&self, stage: Stage) -> Vec<String> {
        let rows = self.rooms.get(RoomId::of_stage(stage)).rows(&self.session);
        let selectable = rows.into_iter().filter(|row| !matches!(row.kind, RowKind::Fact));
        selectable.map(|row| row.name.trim().to_owned()).collect()
    }

    /// Opens a stage's panel with the first row selected whose name begins so.
    pub(crate) fn go_to_row(&mut self, stage: Stage, name: &str) {
        let names = self.row_names(stage);
        let at = names.iter().position(|own| own.starts_with(name));
        let at = at.unwrap_or_else(|| panic!("no {name} among {names:?}"));
        self.bring(RoomId::of_stage(stage));
        self.rooms.get_mut(RoomId::of_stage(stage)).select(at, &mut self.session);
    }
}
