//! Bench files: comments that stay, mistakes that are told, formats of before.

use super::*;
use crate::part::Listed;
use crate::scale::Step;
use crate::smooth::{Mean, Strength};

const FLUME: &str = r#"# my flume
name = "flume"   # the big one

[source]
port = "/dev/ttyACM0"
baud = 9600 # as the sketch says

[split]
shape = "labelled"
labels = ["a", "b"]
complete = true

# upstream gauge
[[channel]]
name = "a"
scale = { steps = [{ is = "converter", bits = 12, reference = 3.3 }, { is = "gain", by = 58.5, unit = "mm" }] }
smooth = { filter = "median", rows = 5 } # against spikes

[[channel]]
name = "b"
kind = "digital"
[channel.watch]
threshold = 0.5
"#;

#[test]
fn comments_stay_where_a_person_wrote_them() {
    let mut bench = Bench::parse(FLUME).unwrap();
    let same = bench.write_into(FLUME).unwrap();
    assert_eq!(Bench::parse(&same).unwrap(), bench);
    assert_eq!(bench.write_into(&same).unwrap(), same, "what is the same stays as it was written");
    bench.sources[0].wire.baud = Some(115_200);
    bench.sources[0].channel[0].smooth = vec![Mean { window: Strength::Seconds(0.2) }.into()];
    bench.sources[0].channel[1].watch = None;
    bench.sources[0].channel.push(ChannelSettings::named("c"));
    bench.shared.set_axis("mm", Rule::Typed(0.0, 200.0));
    let text = bench.write_into(FLUME).unwrap();
    for comment in ["# my flume", "# the big one", "# as the sketch says", "# upstream gauge"] {
        assert!(text.contains(comment), "{comment} is gone from\n{text}");
    }
    assert_eq!(Bench::parse(&text).unwrap(), bench);
    assert!(bench.write_into("not = [toml").is_err());
}

const STEPS: &str = r#"
[[channel]]
name = "water"
formula = "raw(probe) * 2"

[[channel]]
name = "probe"
# what the sheet says
[[channel.scale.steps]]
is = "converter"   # on the board
bits = 12
reference = 3.3
[[channel.scale.steps]]
is = "table"
points = [[0, 0], [1.2, 50], [2.9, 100]] # from the sheet
unit = "%"
[[channel.scale.steps]]
is = "gain"
by = 2
"#;

#[test]
fn steps_keep_their_comments_as_long_as_they_stay_what_they_are() {
    let mut bench = Bench::parse(STEPS).unwrap();
    let same = bench.write_into(STEPS).unwrap();
    assert_eq!(bench.write_into(&same).unwrap(), same, "what is the same stays as it was written");
    let steps = &mut bench.sources[0].channel[1].scale.steps;
    steps[0].set(1, "3.31").unwrap();
    steps[2] = crate::scale::Offset { subtract: 0.5 }.into();
    let text = bench.write_into(STEPS).unwrap();
    for kept in
        ["# what the sheet says", "# on the board", "# from the sheet", "points = [[0, 0], [1.2, 50], [2.9, 100]]"]
    {
        assert!(text.contains(kept), "{kept} is gone from\n{text}");
    }
    assert!(!text.contains("gain") && text.contains("reference = 3.31"), "{text}");
    assert_eq!(Bench::parse(&text).unwrap(), bench);
    // Steps that give the same unit are told apart, also when one comes in front of another of its kind.
    let gain = crate::scale::Gain { factor: 2.0, unit: "%".into() };
    let steps = &mut bench.sources[0].channel[1].scale.steps;
    steps.insert(1, gain.clone().into());
    steps.push(gain.into());
    let both = bench.write_into(&text.replace("unit = \"%\"", "unit = \"%\" # of full")).unwrap();
    assert_eq!(both.matches("# of full").count(), 1, "{both}");
    assert!(both.contains("[2.9, 100]] # from the sheet\nunit = \"%\" # of full"), "{both}");
    assert_eq!(bench.write_into(&both).unwrap(), both, "saving twice changes nothing");
    let fresh = bench.new_file("fresh");
    assert!(fresh.contains("points = [[0.0, 0.0], [1.2, 50.0], [2.9, 100.0]]"), "{fresh}");
}

#[test]
fn mistakes_in_steps_and_formulas_say_what_was_expected() {
    let wrong = |from: &str, to: &str| Bench::parse(&STEPS.replacen(from, to, 1)).unwrap_err().to_string();
    assert!(wrong("bits = 12", "bits = 40").contains("step 1 (converter): bits must be 1 to 32"));
    assert!(wrong("is = \"table\"", "is = \"tabel\"").contains("'tabel' is not one of its values"));
    assert!(wrong("by = 2", "by = 0").contains("step 3 (gain): multiply by must be a number other than 0"));
    assert!(wrong("by = 2", "bye = 2").contains("'bye' is not a setting here"));
    assert!(wrong("[1.2, 50]", "[2.9, 50]").contains("further on than the one before"));
    assert!(wrong("raw(probe) * 2", "raw(probe) * ").contains("column 14: the formula ends"));
    let circle = wrong("raw(probe) * 2", "water + probe");
    assert!(circle.contains("line 4") && circle.contains("water needs itself"), "{circle}");
    // The rest holds: without its converter, and said so.
    let (bench, mistakes) = Bench::parse_what_holds(&STEPS.replacen("bits = 12", "bits = 40", 1));
    assert!(!mistakes.is_empty() && bench.sources[0].channel.len() == 2, "{mistakes:?}");
}

#[test]
fn the_rest_of_a_bench_with_mistakes_holds() {
    let text = FLUME
        .replacen("baud = 9600", "baud = \"fast\"", 1)
        .replacen("kind = \"digital\"", "kind = \"binary\"\nwhat is this", 1)
        .replacen("complete = true", "", 1);
    let (bench, mistakes) = Bench::parse_what_holds(&text);
    let lines: Vec<usize> = mistakes.iter().map(|mistake| mistake.line).collect();
    assert_eq!(lines, [22, 6, 21], "{mistakes:?}");
    assert_eq!(
        (bench.shared.name.as_str(), bench.first().wire.port.as_str(), bench.first().wire.baud),
        ("flume", "/dev/ttyACM0", None)
    );
    assert_eq!(
        (bench.sources[0].channel.len(), bench.sources[0].channel[1].watch.map(|w| w.threshold)),
        (2, Some(0.5))
    );
    assert_eq!(Bench::parse_what_holds("[[[\n= 7\n").1.len(), 2);
    let far = format!("{FLUME}\n[screen]\npace = 900\n");
    assert_eq!(Bench::parse_what_holds(&far).1.len(), 1);
}

#[test]
fn a_mistake_is_named_with_its_line() {
    let wrong = |from: &str, to: &str| Bench::parse(&FLUME.replacen(from, to, 1)).unwrap_err().to_string();
    assert!(
        wrong("baud = 9600", "baud = \"fast\"")
            .starts_with("line 6, column 8: a whole number, 0 or above is expected here, not the text \"fast\"")
    );
    assert!(
        wrong("kind = \"digital\"", "kind = \"binary\"").contains("'binary' is not one of its values: auto, analog")
    );
    assert!(wrong("by = 58.5", "by = 0").contains("step 2 (gain): multiply by must be a number other than 0"));
    assert!(wrong("rows = 5", "rows = 5, seconds = 1").contains("either `rows = N` or `seconds = S`"));
    assert!(wrong("port", "prot").contains("'prot' is not a setting here"));
    assert!(wrong("name = \"b\"", "name = \"a\"").contains("channel 'a' appears twice"));
    assert!(wrong("labels = [\"a\", \"b\"]", "labels = []").starts_with("line 8, column 1: expected 1 to 64"));
}

#[test]
fn any_shape_that_can_be_typed_is_kept_and_read_again() {
    let most = format!("labelled {}", (0..64).map(|i| format!("a{i} ")).collect::<String>());
    for typed in [
        "pins",
        "pins every 50",
        "pins led:d13-out",
        "pins light:a0 led:d13-out",
        "labelled a b",
        "labelled a ...",
        "per-line a",
        "worded a",
        "json a.b",
        "json state=idle|run",
        "plain comma 3",
        "plain tab 64",
        "pattern S,{a},{b}",
        most.trim(),
    ] {
        let mut bench = Bench::default();
        bench.sources[0].split = Split::Pinned(typed.parse().unwrap());
        assert_eq!(Bench::parse(&bench.new_file("")).map(|again| again.sources), Ok(bench.sources), "{typed}");
    }
}

/// What a version wrote stays readable: a file of every format there was, with several sources and comments.
#[test]
fn a_file_of_an_older_format_says_the_same_and_keeps_its_comments() {
    let old = include_str!("../../tests/formats/0.bench.toml");
    let bench = Bench::parse(old).unwrap();
    assert_eq!(
        (bench.shared.name.as_str(), bench.shared.history.rows, bench.shared.keep.raw),
        ("flume", 500_000, true)
    );
    assert_eq!(bench.shared.axis("mm"), Rule::Typed(-50.0, 250.0));
    assert_eq!(bench.shared.command[0].text, "stroke 0");
    let [upper, lower] = &bench.sources[..] else { panic!("{:?}", bench.sources) };
    assert_eq!((upper.wire.port.as_str(), lower.wire.port.as_str(), lower.wire.baud), ("flume", "twin", Some(9600)));
    assert_eq!(upper.channel.iter().map(|c| c.title()).collect::<Vec<_>>(), ["upstream", "slope"]);
    assert_eq!(upper.channel[0].scale.steps.len(), 2);
    assert_eq!(lower.time, crate::clock::Time::Rate { hz: 20.0 });
    assert_eq!((lower.channel[0].name.as_str(), lower.channel[0].watch.unwrap().threshold), ("field1", 0.5));
    let now = bench.write_into(old).unwrap();
    for comment in ["# my flume", "# the big one", "# as the sketch says", "# upstream gauge", "# against spikes"] {
        assert!(now.contains(comment), "{comment} is gone from\n{now}");
    }
    assert!(now.contains("format = 3") && !now.contains("beside"), "{now}");
    assert_eq!(Bench::parse(&now).unwrap(), bench);
    // The file of the last format in the store of test data is what is written now.
    let kept = include_str!("../../tests/formats/3.bench.toml");
    let older = [include_str!("../../tests/formats/1.bench.toml"), include_str!("../../tests/formats/2.bench.toml")];
    for before in older.into_iter().chain([kept]) {
        assert_eq!(Bench::parse(before).unwrap(), bench);
        assert_eq!(bench.write_into(before).unwrap(), kept);
    }
    // A mistake is told with its line in the file that the person has.
    let wrong = Bench::parse(&old.replacen("hz = 20.0", "hz = 20.0\nherz = 2", 1)).unwrap_err();
    let line = old.lines().position(|line| line == "[beside.time]").unwrap() + 1;
    assert_eq!((wrong.line, wrong.message.starts_with("'herz' is not a setting here")), (line, true), "{wrong}");
    let newer = Bench::parse("format = 99\n").unwrap_err().to_string();
    assert!(newer.contains("format 99 is newer than this version of the program"), "{newer}");
}

#[test]
fn bypassed_steps_and_single_filters_of_format_1_are_read() {
    let old =
        STEPS.replacen("is = \"gain\"\nby = 2", "is = \"passed\" # to compare\nstep = { is = \"gain\", by = 2 }", 1);
    let old = format!("{old}[channel.smooth] # calm\nfilter = \"mean\" # of them all\nseconds = 0.5\n");
    let now = Bench::parse(&old).unwrap();
    let probe = &now.sources[0].channel[1];
    assert_eq!(probe.scale.steps[2], Step::from(crate::scale::Gain { factor: 2.0, unit: String::new() }).toggled());
    assert_eq!(probe.smooth, [Mean { window: Strength::Seconds(0.5) }.into()]);
    let text = now.write_into(&old).unwrap();
    for comment in ["# to compare", "# calm", "# of them all"] {
        assert!(text.contains(comment), "{comment} is gone from\n{text}");
    }
    assert_eq!(Bench::parse(&text).unwrap(), now);
}

#[test]
fn no_two_channels_are_called_alike_nor_like_a_column_of_a_take() {
    let wrong = |called: &str| {
        let text = format!("[[channel]]\nname = \"bed\"\n[[channel]]\nname = \"x\"\ncalled = \"{called}\"\n");
        Bench::parse(&text).map_err(|error| error.to_string())
    };
    for taken in ["bed", "time_s", "wall_clock", "bed_raw"] {
        assert!(wrong(taken).unwrap_err().contains("choose another name"), "{taken}");
    }
    assert!(wrong("level").is_ok());
}

#[test]
fn a_text_that_is_no_bench_is_given_up_soon() {
    let text = "this is = = no bench\n".repeat(40_000);
    let (bench, mistakes) = Bench::parse_what_holds(&text);
    assert_eq!((bench, mistakes.len()), (Bench::default(), 20));
}

#[test]
fn what_belongs_to_a_table_that_is_left_out_does_not_count_for_the_one_before() {
    let text = r#"format = 3
[[source]]
[source.wire]
port = "flume"
[source.time]
baud = 9600
[[source.channel]]
name = "a"
[[source.channel]]
title = "no name"
[source.channel.watch]
threshold = 7.0
[[source.condition]]
name = "both"
[[source.condition.test]]
kind = "above"
of = "a"
value = 1.0
[[source.condition.test]]
kind = "never heard of"
[[source.condition.answer]]
kind = "send"
line = "x"
[[source.condition]]
name = "held"
hold = "long"
test = [{ kind = "below", of = "a", value = 0.0 }]
[[source.condition]]
name = "one"
test = [{ kind = "below", of = "a", value = 0.0 }]
[[source.channel]]
name = "b"
"#;
    let (bench, mistakes) = Bench::parse_what_holds(text);
    let own = bench.first();
    assert_eq!(own.wire.port, "flume");
    assert_eq!(own.wire.baud, None, "{mistakes:?}");
    let names: Vec<_> = own.channel.iter().map(|channel| (channel.name.as_str(), channel.watch)).collect();
    assert_eq!(names, [("a", None), ("b", None)]);
    assert_eq!(own.condition.iter().map(|one| one.name.as_str()).collect::<Vec<_>>(), ["one"]);
    assert_eq!(mistakes.len(), 4, "{mistakes:?}");
    assert!(mistakes[2].message.ends_with("all of this [source.condition] is left out"), "{mistakes:?}");
}
