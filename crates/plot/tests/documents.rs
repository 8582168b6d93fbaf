//! Documents of anything: pages that are well-formed, with every text on them and nothing that breaks out.

#![allow(missing_docs)]

use amber_plot::{Block, Document, Figure, Lane, Paper, Table, Trace, document_pdf, pages};
use proptest::prelude::*;

fn text() -> impl Strategy<Value = String> {
    const HOSTILE: [&str; 3] = ["</text></svg><script>", "\u{1b}[2J\u{0}\u{202e}x", "a & b < c > d \" e"];
    prop_oneof![
        3 => "[ -~]{0,60}",
        2 => "\\PC{0,12}",
        1 => proptest::sample::select(&HOSTILE[..]).prop_map(str::to_owned),
        1 => "[a-z]{200}",
    ]
}

fn block() -> impl Strategy<Value = Block> {
    let facts = proptest::collection::vec((text(), text()), 0..5);
    let table = (1..9usize, 0..60usize, 0..4usize, text()).prop_map(|(columns, rows, words, cell)| {
        let row = |row: usize| (0..columns).map(|column| format!("{cell} {row} {column}")).collect();
        Block::Table(Table {
            header: (0..columns).map(|i| format!("column {i}")).collect(),
            rows: (0..rows).map(row).collect(),
            words,
        })
    });
    let figure = (text(), 40.0..260.0f64, any::<bool>()).prop_map(|(title, height, is_dark)| {
        let runs = vec![vec![(0.0, 1.0), (5.0, 2.0)]];
        let trace = Trace { letter: 'A', name: title.clone(), runs, ..Trace::default() };
        let lane = Lane { label: "mm".into(), limits: (0.0, 3.0), traces: vec![trace], ..Lane::default() };
        let paper = Paper { width: 170.0, height, is_dark };
        Block::Figure(
            Box::new(Figure { title, x: (0.0, 9.0), lanes: vec![lane], paper, ..Figure::default() }),
            "seen".into(),
        )
    });
    prop_oneof![
        text().prop_map(Block::Heading),
        text().prop_map(Block::Text),
        facts.prop_map(Block::Facts),
        table,
        figure,
    ]
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, max_shrink_iters: 100, ..ProptestConfig::default() })]

    #[test]
    fn a_document_of_anything_is_pages(title in text(), subtitle in text(), blocks in proptest::collection::vec(block(), 0..8)) {
        let document = Document { title, subtitle, blocks };
        let pages = pages(&document).map_err(|error| TestCaseError::fail(error.to_string()))?;
        let all = pages.concat();
        prop_assert!(!all.contains("<script") && !all.contains(['\x1b', '\0']), "a text became more than that");
        for block in &document.blocks {
            if let Block::Table(table) = block {
                for row in 0..table.rows.len() {
                    // The last column's cell, or what of it fits, ends each row.
                    prop_assert!(all.matches("<text").count() > row, "row {row}");
                }
            }
        }
        // Figures have units of their own.
        let own: String = all
            .split("<svg x=")
            .enumerate()
            .map(|(i, part)| if i == 0 { part } else { part.split_once("</svg>").map_or("", |(_, rest)| rest) })
            .collect();
        let numbers = |attribute: &str| -> Vec<f64> {
            let values = own.split("<text ").skip(1).filter_map(|rest| rest.split(attribute).nth(1)?.split('"').next());
            values.map(|value| value.parse().unwrap_or(f64::NAN)).collect()
        };
        for y in numbers(" y=\"") {
            prop_assert!((0.0..=29_700.0).contains(&y), "{y}");
        }
        // A page is made of it only if it is well-formed.
        let made = document_pdf(&document).map_err(|error| TestCaseError::fail(error.to_string()))?;
        let made = String::from_utf8_lossy(&made);
        prop_assert_eq!(made.matches("/Type /Page\n").count(), pages.len());
        prop_assert!(!made.contains("/Subtype /Image"));
    }
}

#[test]
fn rows_of_a_table_are_all_there_on_however_many_pages() {
    let rows: Vec<Vec<String>> = (0..500).map(|i| vec![format!("row-{i}-"), format!("{}", i * i)]).collect();
    let table = Table { header: vec!["name".into(), "square".into()], rows, words: 1 };
    let document = Document { title: "squares".into(), blocks: vec![Block::Table(table)], ..Document::default() };
    let pages = pages(&document).unwrap();
    let all = pages.concat();
    for i in 0..500 {
        assert_eq!(all.matches(&format!(">row-{i}-<")).count(), 1, "{i}");
    }
    assert_eq!(all.matches(">square<").count(), pages.len(), "each page has the header");
}
