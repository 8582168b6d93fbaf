//! The finder: every action with its key, every setting, channel, view, command, take and mark, found by typing.

use super::chart::go_to;
use super::list::{Item, List};
use super::panel::RowKind;
use super::{Effect, Place, RoomId, keep};
use crate::app::App;
use crate::session::{Request, Session, Stage, name_of};
use amber_core::bench::Kind;
use amber_core::window::Motion;
use std::path::PathBuf;

/// The views, a letter each.
pub(crate) fn views(session: &Session) -> List {
    let middle = RoomId::ALL.iter().filter(|id| id.about().place == Place::Middle);
    let item = |id: &RoomId| {
        let (about, id) = (id.about(), *id);
        let letter = letter_of(id);
        let show = move |app: &mut App| if app.view == id { Vec::new() } else { vec![Effect::Show(id)] };
        Item::new(about.name, about.help, show).with_key(letter)
    };
    let mut items: Vec<Item> = middle.map(item).collect();
    let (name, about, to) = match session.axis.motion {
        Motion::Scroll => ("sweep", "the chart starts over at its left, rather than scroll", Motion::Sweep),
        Motion::Sweep => ("scroll", "the chart scrolls, rather than sweep and start over", Motion::Scroll),
    };
    let move_so = move |app: &mut App| {
        app.session.set_motion(to);
        Vec::new()
    };
    items.push(Item::new(name, about, move_so).with_key("w"));
    List::new("views", items, 0).by_letter()
}

/// The letter of a view: the first one of its name that no view before it has.
fn letter_of(id: RoomId) -> String {
    let mut taken: Vec<char> = Vec::new();
    for view in RoomId::ALL.iter().filter(|id| id.about().place == Place::Middle) {
        let letter = view.about().name.chars().find(|letter| !taken.contains(letter)).unwrap_or(' ');
        if *view == id {
            return letter.to_string();
        }
        taken.push(letter);
    }
    String::new()
}

/// Everything that can be found.
pub(crate) fn finder(app: &App) -> List {
    let session = &app.session;
    let mut items = actions();
    items.extend(settings(app));
    items.extend(channels(session));
    items.extend(commands(session));
    items.extend(go_to::marks(session));
    items.extend(takes(session));
    List::new("find", items, 0)
}

/// Every action of every room that is no other's, with its key.
fn actions() -> Vec<Item> {
    let mut items = Vec::new();
    for id in RoomId::ALL.iter().copied().filter(|id| !matches!(id, RoomId::Quit | RoomId::Help)) {
        let about = id.about();
        let way = way_to(id);
        let is_panel = Stage::ALL.into_iter().any(|stage| RoomId::of_stage(stage) == id);
        let noun = match about.place {
            Place::Middle => Some("view"),
            Place::Side(_) if !is_panel => Some("tool"),
            _ => None,
        };
        if let Some(noun) = noun {
            let show = move |app: &mut App| {
                app.bring(id);
                Vec::new()
            };
            items.push(Item::new(format!("{noun}: {}", about.name), about.help, show).with_key(way.clone()));
        }
        for (index, key) in id.keys().into_iter().enumerate() {
            // Keys that only move about are of no use from afar.
            if !key.is_letter() {
                continue;
            }
            let label = if way.is_empty() { key.label.to_owned() } else { format!("{way} {}", key.label) };
            let run = move |app: &mut App| {
                if id != RoomId::Home {
                    app.bring(id);
                }
                app.act(id, index)
            };
            let name = if id == RoomId::Home { key.help.to_owned() } else { format!("{}: {}", about.name, key.help) };
            items.push(Item::new(name, "", run).with_key(label));
        }
    }
    items
}

/// Every setting of every stage, as its panel shows it now.
fn settings(app: &App) -> Vec<Item> {
    let mut items = Vec::new();
    for stage in Stage::ALL {
        let id = RoomId::of_stage(stage);
        let rows = app.rooms.get(id).rows(&app.session);
        let settings = rows.into_iter().filter(|row| !matches!(row.kind, RowKind::Fact)).enumerate();
        for (at, row) in settings.filter(|(_, row)| matches!(row.kind, RowKind::Setting(_))) {
            let go = move |app: &mut App| {
                app.bring(id);
                app.rooms.get_mut(id).select(at, &mut app.session);
                Vec::new()
            };
            let name = format!("{}: {}", stage.name(), row.name.trim());
            let about = if row.value.is_empty() { row.help.clone() } else { format!("{}   {}", row.value, row.help) };
            items.push(Item::new(name, about, go).with_key(stage.number().to_string()));
        }
    }
    items
}

/// The keys that lead to a room from the main screen.
fn way_to(id: RoomId) -> String {
    let stage = Stage::ALL.into_iter().find(|stage| RoomId::of_stage(*stage) == id);
    match (id, stage) {
        (_, Some(stage)) => stage.number().to_string(),
        (RoomId::Calibrate, _) => "3 c".into(),
        (RoomId::Survey, _) => "3 r".into(),
        (RoomId::Checkup, _) => "3 d".into(),
        (RoomId::Cursors, _) => "c".into(),
        (RoomId::Talk, _) => ":".into(),
        _ if id.about().place == Place::Middle => {
            format!("v {}", letter_of(id))
        }
        _ => String::new(),
    }
}

fn channels(session: &Session) -> Vec<Item> {
    let drawn = session.channel_ids().filter(|id| session.channel_at(*id).kind() != Kind::Clock);
    let item = |id| {
        let select = move |app: &mut App| {
            app.session.select(id);
            Vec::new()
        };
        let about = session.channel_at(id).kind().name();
        Item::new(format!("channel {} {}", session.letter(id), session.title(id)), about, select)
    };
    drawn.map(item).collect()
}

fn commands(session: &Session) -> Vec<Item> {
    if session.is_take() {
        return Vec::new();
    }
    let item = |command: &amber_core::talk::BoardCommand| {
        let command = command.clone();
        let name = format!("command {}", command.name);
        let about = format!("sends {}", amber_core::tail::visible(command.text.as_bytes()));
        let send = move |app: &mut App| match app.session.encode(app.session.place(), &command.text, command.ending) {
            Ok(bytes) => {
                let order = crate::session::LinkOrder::Send(bytes);
                vec![Request::Tell(app.session.place(), order).into()]
            }
            Err(wrong) => {
                app.session.say(wrong, true);
                Vec::new()
            }
        };
        Item::new(name, about, send)
    };
    session.shared().command.iter().map(item).collect()
}

/// The takes in the folder: Enter opens one in place of what is watched.
fn takes(session: &Session) -> Vec<Item> {
    let item = |folder: &PathBuf| {
        let path = folder.clone();
        let open = move |app: &mut App| open_take(&mut app.session, path.clone());
        Item::new(format!("take {}", name_of(folder)), "opens it in place of what is watched now", open)
    };
    session.takes.folders.iter().map(item).collect()
}

/// Opens a take, after what would be lost by that is seen to.
pub(crate) fn open_take(session: &mut Session, folder: PathBuf) -> Vec<Effect> {
    if session.taking.runs() {
        session.say("a take is running: end it first with t", true);
        return Vec::new();
    }
    if !session.unsaved() {
        return vec![Request::OpenTake(folder).into()];
    }
    let without = folder.clone();
    let save = Item::new("save the settings first", "to the bench file", move |app: &mut App| {
        app.session.after_saving = Some(Request::OpenTake(folder.clone()));
        keep::save(&app.session)
    });
    let drop = Item::new("open it without saving", "unsaved settings are dropped", move |_: &mut App| {
        vec![Request::OpenTake(without.clone()).into()]
    });
    let items = vec![save.with_key("s"), drop.with_key("o")];
    vec![Effect::Choose(List::new("settings are not saved to a bench file", items, 0).by_letter())]
}
