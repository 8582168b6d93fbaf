//! Messages in, changed state and effects out.

use super::{App, ChannelId, Effect, FieldId, LinkOrder, Message, Overlay, Source, Stage, Tool, View, Watched};
use crate::keys::{Action, Place, resolve};
use crate::screen::{Hit, hit};
use amber_core::Stamp;
use amber_core::bench::Kind;
use amber_core::tail::visible_char;
use amber_core::window::Motion;
use amber_io::{Feed, LinkState};
use crossterm::event::{Event, KeyCode, KeyEvent, MouseButton, MouseEvent, MouseEventKind};
use tui_input::backend::crossterm::EventHandler;
use tui_input::{Input, InputRequest};
use unicode_width::UnicodeWidthChar;

impl App {
    /// Takes one message at `now`.
    pub(crate) fn update(&mut self, now: Stamp, message: Message) -> Vec<Effect> {
        self.now = self.now.max(now);
        match message {
            Message::Key(key) => self.key(key),
            Message::Mouse(mouse) => self.mouse(mouse),
            Message::Feed(place, feed) => {
                self.feed(place, feed);
                self.ring()
            }
            Message::Report(place, report) => self.hear_keeper(place, report),
            Message::Figure(Ok(paths)) => {
                let names: Vec<String> = paths.iter().map(|path| path.display().to_string()).collect();
                self.say(format!("figure written: {}", names.join(" and ")), false);
                Vec::new()
            }
            Message::Figure(Err(error)) => {
                self.say(format!("no figure: {error}"), true);
                Vec::new()
            }
            Message::BenchSaved(Ok((path, bench))) => {
                self.say(format!("bench saved to {}", path.display()), false);
                (self.bench_file, self.saved_bench) = (Some(path), *bench);
                if self.quit_when_saved { vec![Effect::Quit] } else { Vec::new() }
            }
            Message::BenchThere(path) => {
                self.ask_over(path);
                Vec::new()
            }
            Message::Done(done) => {
                self.take_done(done);
                Vec::new()
            }
            Message::Paste(text) => {
                self.paste(&text);
                Vec::new()
            }
            Message::BenchSaved(Err(error)) => {
                self.quit_when_saved = false;
                self.say(format!("bench not saved: {error}"), true);
                Vec::new()
            }
        }
    }

    /// Text that was pasted goes where text is typed, as one line.
    fn paste(&mut self, text: &str) {
        match self.overlays.last_mut() {
            Some(Overlay::Prompt(prompt)) => prompt.paste(text),
            Some(Overlay::Talk) => insert(&mut self.talk.input, text),
            _ => self.say("pasted text is ignored here: open an input line first", true),
        }
    }

    /// Time passed: messages go, axes and numbers follow. Gives whether the numbers were refreshed.
    pub(crate) fn before_frame(&mut self, now: Stamp) -> bool {
        if !self.is_take() {
            self.now = self.now.max(now);
        }
        if self.notice.as_ref().is_some_and(|notice| now > notice.until) {
            self.notice = None;
        }
        self.selected.channel = self.selected.channel.min(self.chain().channels().len().saturating_sub(1));
        if self.channel().is_some_and(|channel| channel.kind() == Kind::Clock) {
            self.choose(1);
        }
        self.follow_axes(now);
        let place = self.place();
        let picked = self.lines.follow(self.watched[place].chain.tail(), now);
        let refreshed = self.refresh_numbers(now);
        if refreshed {
            if self.tool == Some(Tool::Survey) {
                self.follow_survey();
            }
            self.follow_doctor(now);
        }
        refreshed || picked
    }

    /// Rings when the selected channel has settled, where that is wanted.
    fn ring(&mut self) -> Vec<Effect> {
        let now = (self.selected, self.channel().map_or(0, |channel| channel.levels().count()));
        let before = std::mem::replace(&mut self.rung, now);
        let settled = now.0 == before.0 && now.1 > before.1;
        let wanted = settled && self.shared.levels.bell && !self.is_held();
        if wanted { vec![Effect::Bell] } else { Vec::new() }
    }

    fn feed(&mut self, place: usize, feed: Feed) {
        let Some(Watched { chain, source, .. }) = self.watched.get_mut(place) else { return };
        match feed {
            Feed::State(state) => {
                if let LinkState::Open { usb: Some(usb), .. } = &state {
                    let usb = usb.clone();
                    chain.edit_wire(|wire| wire.usb = usb);
                }
                if let Source::Live { link } = source {
                    *link = state;
                }
            }
            Feed::Opened { opening, within, .. } => chain.open(opening, within),
            Feed::Ended(_) => chain.end(),
            Feed::Unkept(bytes) => chain.unkept(bytes),
            Feed::Sent { at, bytes } => chain.sent(at, &bytes),
            Feed::NotDone(what) => self.say(what, true),
            Feed::Merged(news) => chain.merged(news),
            Feed::Chunk(chunk) => {
                if chunk.skipped > 0 {
                    chain.skip(chunk.skipped);
                }
                chain.feed(chunk.at, &chunk.bytes);
                self.now = self.now.max(chunk.at);
            }
        }
    }

    /// Where keys are looked up, in turn.
    pub(crate) fn places(&self) -> &'static [Place] {
        match (self.overlays.last(), self.panel) {
            (Some(Overlay::Help(_)), _) => &[Place::Help],
            (Some(Overlay::Prompt(_)), _) => &[Place::Prompt],
            (Some(Overlay::Pick(_)), _) => &[Place::Pick],
            (Some(Overlay::QuitQuestion), _) => &[Place::Question],
            (Some(Overlay::Talk), _) => &[Place::Talk],
            (None, None) if self.tool.is_some() && !self.lines.open => match self.tool {
                Some(Tool::Calibrate) => &[Place::Calibrate, Place::Main],
                Some(Tool::Survey) => &[Place::Survey, Place::Main],
                _ => &[Place::Doctor, Place::Main],
            },
            (None, Some((Stage::Scale, _))) if !self.lines.open => {
                &[Place::Scale, Place::Parts, Place::Panel, Place::Main]
            }
            (None, Some((Stage::Smooth, _))) if !self.lines.open => &[Place::Parts, Place::Panel, Place::Main],
            (None, Some(_)) if self.lines.open => &[Place::Panel, Place::Lines, Place::Main],
            (None, Some(_)) => &[Place::Panel, Place::Main],
            (None, None) if self.lines.open => &[Place::Lines, Place::Main],
            (None, None) => &[Place::Main],
        }
    }

    fn key(&mut self, key: KeyEvent) -> Vec<Effect> {
        let action = resolve(self.places(), key);
        if let Some(Overlay::Help(scroll)) = self.overlays.last_mut() {
            match key.code {
                KeyCode::Down => *scroll = scroll.saturating_add(1),
                KeyCode::Up => *scroll = scroll.saturating_sub(1),
                KeyCode::PageDown => *scroll = scroll.saturating_add(15),
                KeyCode::PageUp => *scroll = scroll.saturating_sub(15),
                _ => {}
            }
        }
        match (action, self.overlays.last_mut()) {
            (Some(Action::Undo), _) => self.undo(false),
            (Some(Action::Redo), _) => self.undo(true),
            (Some(action), _) => {
                let nudges = matches!(action, Action::Less | Action::More);
                self.remembering(nudges, |app| app.act(action))
            }
            (None, Some(Overlay::Prompt(prompt))) => {
                prompt.press(key);
                Vec::new()
            }
            (None, Some(Overlay::Talk)) => {
                self.talk.input.handle_event(&Event::Key(key));
                self.talk.chosen = None;
                Vec::new()
            }
            (None, None) if matches!(key.code, KeyCode::Char(_)) => {
                self.say("that key does nothing here; ? lists the keys", true);
                Vec::new()
            }
            (None, _) => Vec::new(),
        }
    }

    fn act(&mut self, action: Action) -> Vec<Effect> {
        self.refresh_soon();
        if matches!(action, Action::Help | Action::Hold | Action::ClosePanel | Action::Cancel) {
            self.notice = None;
        }
        if action.needs_channel() && self.channel().is_none() {
            self.say("no channel yet: rows must arrive first", true);
            return Vec::new();
        }
        let oldest = |chain: &amber_core::chain::Chain| chain.store().time(chain.store().rows().start);
        let first = self.chains().filter_map(oldest).min().unwrap_or(self.now);
        let last = self.present();
        match action {
            Action::Panel(stage) => self.open_panel(stage),
            Action::ClosePanel => self.panel = None,
            Action::NextChannel => self.choose(1),
            Action::PreviousChannel => self.choose(-1),
            Action::ShowOrHide => self.edit_channel(|channel| channel.hidden = !channel.hidden),
            Action::Hold if self.is_take() => self.say("a take stands still: pan with ←→, zoom with + and -", true),
            Action::Hold => self.sight.held = if self.is_held() { None } else { Some(last) },
            Action::Earlier => self.sight.pan(-0.1, last, first, last),
            Action::Later => self.sight.pan(0.1, last, first, last),
            Action::PageEarlier => self.sight.pan(-0.9, last, first, last),
            Action::PageLater => self.sight.pan(0.9, last, first, last),
            Action::Oldest => self.sight.held = Some(first.plus(self.sight.span).min(last)),
            Action::Newest => self.sight.held = self.is_take().then_some(last),
            Action::Closer => self.zoom(-1, 0.5),
            Action::Wider => self.zoom(1, 0.5),
            Action::AxisRule => self.next_axis_rule(),
            Action::AxisLimits => self.ask_limits(),
            Action::Motion if self.is_held() => self.say("the picture is held: Space lets it go on", true),
            Action::Motion => {
                self.sight.motion = match self.sight.motion {
                    Motion::Scroll => Motion::Sweep,
                    Motion::Sweep => Motion::Scroll,
                }
            }
            Action::Large => self.turn_view(View::Number),
            Action::Table => self.turn_view(View::Table),
            Action::Lines => (self.view, self.lines.open) = (View::Chart, !self.lines.open),
            Action::LineUp => self.move_line(-1),
            Action::LineDown => self.move_line(1),
            Action::LinesUp => self.move_line(-20),
            Action::LinesDown => self.move_line(20),
            Action::OldestLine => self.end_of_lines(true),
            Action::NewestLine => self.end_of_lines(false),
            Action::HoldLines => self.hold_lines(),
            Action::LineForm => self.next_line_form(),
            Action::LineFilter => self.ask_filter(),
            Action::LineSearch => self.ask_search(),
            Action::SearchOlder => self.search_lines(-1),
            Action::SearchNewer => self.search_lines(1),
            Action::FewerLines => self.pace_lines(-1),
            Action::MoreLines => self.pace_lines(1),
            Action::CopyLine => return self.copy_line(),
            Action::Talk => self.open_talk(),
            Action::SendLine => return self.send_line(),
            Action::SayingUp => self.choose_saying(-1),
            Action::SayingDown => self.choose_saying(1),
            Action::Ending => self.next_ending(),
            Action::NameSaying => self.ask_saying_name(),
            Action::RepeatSaying => self.ask_repeat(),
            Action::FindBaud | Action::ResetBoard | Action::LendPort if self.is_take() => {
                self.say("this is a take: there is no port", true);
            }
            Action::FindBaud => return self.find_baud(),
            Action::ResetBoard => return vec![Effect::Tell(self.place(), LinkOrder::Reset)],
            Action::LendPort => return self.lend_or_take_back(),
            Action::PanelUp => self.panel_scroll = self.panel_scroll.saturating_sub(5),
            Action::PanelDown => {
                let lines = self.panel.map_or(0, |(stage, _)| self.fields(stage).len());
                self.panel_scroll = (self.panel_scroll + 5).min(lines.saturating_sub(3) as u16);
            }
            // Keys of the list, which has no main screen yet.
            Action::ItemUp
            | Action::ItemDown
            | Action::FirstItem
            | Action::LastItem
            | Action::WatchItem
            | Action::TypePath
            | Action::LeaveList
            // Told apart before.
            | Action::Undo
            | Action::Redo => {}
            Action::NextSource => self.next_source(),
            Action::TakeOffer => self.take_offer(),
            Action::Calibrate => self.open_tool(Tool::Calibrate),
            Action::Survey => self.open_tool(Tool::Survey),
            Action::Doctor => self.open_tool(Tool::Doctor),
            Action::CloseTool => self.tool = None,
            Action::LevelUp => self.move_level(-1),
            Action::LevelDown => self.move_level(1),
            Action::PreviousCurve => self.next_curve(-1),
            Action::NextCurve => self.next_curve(1),
            Action::TypeReally => self.ask_really(),
            Action::ForgetReally => self.forget_really(false),
            Action::ForgetAll => self.forget_really(true),
            Action::TakeCalibration => self.take_calibration(),
            Action::TypeTravel => self.ask_range(),
            Action::SurveyAgain => self.begin_survey(),
            Action::DoctorUp => self.doctor.scroll = self.doctor.scroll.saturating_sub(3),
            Action::DoctorDown => self.doctor.scroll = (self.doctor.scroll + 3).min(200),
            Action::Zero => self.zero(false),
            Action::ZeroAll => self.zero(true),
            Action::NewFormula => self.ask_new_formula(),
            Action::RemoveComputed => self.remove_computed(),
            Action::AddPart => self.ask_part(),
            Action::DeletePart => self.delete_part(),
            Action::PartUp => self.move_part(-1),
            Action::PartDown => self.move_part(1),
            Action::BypassPart => self.bypass_part(),
            Action::Advise => self.advise_resistor(),
            Action::PickUp => self.move_pick(-1),
            Action::PickDown => self.move_pick(1),
            Action::TakePick => return self.take_pick(),
            Action::RawBeside => {
                let raw = !self.shared.screen.raw;
                self.shared.screen.raw = raw;
            }
            Action::ChannelUp => self.move_channel(-1),
            Action::ChannelDown => self.move_channel(1),
            Action::CodeWords => return self.ask_words(),
            Action::Take => return self.toggle_take(),
            Action::Mark => return self.ask_mark(),
            Action::Figure if self.chains().all(|chain| chain.store().rows().is_empty()) => {
                self.say("nothing to draw yet", true)
            }
            Action::Figure => return vec![Effect::Figure],
            Action::SaveBench => return self.save_bench(),
            Action::Help => self.overlays.push(Overlay::Help(0)),
            Action::Quit => return self.quit(),
            Action::FieldUp => self.move_in_panel(-1),
            Action::FieldDown => self.move_in_panel(1),
            Action::Less => return self.with_field(|app, id| app.step_field(id, -1)),
            Action::More => return self.with_field(|app, id| app.step_field(id, 1)),
            Action::Edit => return self.with_field(App::ask_field),
            Action::Accept => return self.accept(),
            Action::Cancel | Action::CloseHelp | Action::CloseTalk => {
                self.quit_when_saved = false;
                self.overlays.pop();
            }
            Action::QuitAnyway => return vec![Effect::Quit],
            Action::SaveAndQuit => {
                self.overlays.pop();
                self.quit_when_saved = true;
                return self.save_bench();
            }
            Action::StopAndQuit => {
                self.overlays.pop();
                let mut effects = if self.taking.runs() { vec![Effect::StopTake] } else { Vec::new() };
                self.taking = super::Taking::No;
                effects.extend(self.quit());
                return effects;
            }
        }
        Vec::new()
    }

    /// Shows something in the chart's place, or the chart again.
    fn turn_view(&mut self, view: View) {
        self.lines.open = false;
        self.view = if self.view == view { View::Chart } else { view };
    }

    fn open_panel(&mut self, stage: Stage) {
        let open = self.panel.is_some_and(|(other, _)| other == stage);
        self.panel = (!open).then_some((stage, 0));
        self.tool = None;
        self.panel_scroll = 0;
    }

    fn move_in_panel(&mut self, by: i32) {
        if let Some((stage, at)) = self.panel {
            let count = self.settings(stage).len().max(1) as i32;
            let at = (at as i32 + by).clamp(0, count - 1) as usize;
            self.panel = Some((stage, at));
            self.panel_scroll = 0;
            if let Some(FieldId::Column(index)) = self.settings(stage).get(at) {
                self.selected.channel = usize::from(*index);
            }
        }
    }

    fn with_field(&mut self, run: impl FnOnce(&mut App, super::FieldId) -> Vec<Effect>) -> Vec<Effect> {
        let chosen = self.panel.and_then(|(stage, at)| self.settings(stage).get(at).copied());
        chosen.map_or_else(Vec::new, |id| run(self, id))
    }

    /// Chooses the next channel that can be drawn; hidden ones too, so that they can be shown again.
    fn choose(&mut self, by: i32) {
        let ids: Vec<ChannelId> = self.channel_ids().collect();
        let count = ids.len() as i32;
        let Some(at) = ids.iter().position(|id| *id == self.selected) else { return };
        let mut at = at as i32;
        for _ in 0..count {
            at = (at + by).rem_euclid(count);
            if self.channel_at(ids[at as usize]).kind() != Kind::Clock {
                break;
            }
        }
        self.select(ids[at as usize]);
    }

    /// Takes the next source to hand.
    fn next_source(&mut self) {
        if self.sources() == 1 {
            return self.say("there is one source; `amber-tap watch A B` watches two side by side", true);
        }
        self.turn_to((self.place() + 1) % self.sources());
        let name = self.source_names().swap_remove(self.place());
        self.say(format!("{name} is selected: wire, split, lines and talk are its own"), false);
    }

    fn zoom(&mut self, steps: i32, place: f64) {
        self.sight.zoom(steps, place);
        if self.is_held() {
            // Another stretch was asked for: its axes need no patience.
            self.axes.clear();
        }
        if !self.is_take() {
            let span = self.sight.span;
            self.shared.screen.span = span;
        }
    }

    fn quit(&mut self) -> Vec<Effect> {
        if self.taking.runs() || self.unsaved() {
            self.overlays.push(Overlay::QuitQuestion);
            return Vec::new();
        }
        vec![Effect::Quit]
    }

    fn mouse(&mut self, mouse: MouseEvent) -> Vec<Effect> {
        if !self.overlays.is_empty() {
            return Vec::new();
        }
        let found = hit(self, mouse.column, mouse.row);
        self.refresh_soon();
        match (mouse.kind, found) {
            (MouseEventKind::ScrollUp, Some(Hit::Chart(place, _))) => self.zoom(-1, place),
            (MouseEventKind::ScrollDown, Some(Hit::Chart(place, _))) => self.zoom(1, place),
            (MouseEventKind::Down(MouseButton::Left), Some(Hit::Channel(index) | Hit::Chart(_, Some(index)))) => {
                self.select(index);
            }
            (MouseEventKind::Down(MouseButton::Left), Some(Hit::Stage(stage))) => self.open_panel(stage),
            _ => {}
        }
        Vec::new()
    }
}

/// The longest text that is pasted at once.
const PASTED: usize = 4096;

/// Puts pasted text into what is being typed, as one line without control characters.
pub(crate) fn insert(input: &mut Input, text: &str) {
    let line = text.trim_end_matches(['\r', '\n']);
    for c in line.chars().take(PASTED) {
        let c = if matches!(c, '\n' | '\r' | '\t') { ' ' } else { c };
        // What may be seen is text, wide characters too.
        if visible_char(c) == c || c.width() == Some(2) {
            input.handle(InputRequest::InsertChar(c));
        }
    }
}
