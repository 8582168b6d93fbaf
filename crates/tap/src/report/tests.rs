use super::markdown::markdown;
use super::*;

#[test]
fn what_a_board_or_a_person_wrote_stays_text_in_a_report() {
    let document = Document {
        title: "a <b> & [x](http://y) \u{1b}[2J".into(),
        subtitle: "take_1".into(),
        blocks: vec![
            Block::Heading("Marks".into()),
            table(&["mark", "note"], vec![vec!["1".into(), "a | b\n# not a heading".into()]], 2),
            Block::Figure(Box::default(), "what is seen".into()),
        ],
    };
    let (text, figures) = markdown(&document, "my report");
    assert!(text.starts_with("# a \\<b\\> \\& \\[x\\](http://y) "), "{text}");
    assert!(!text.contains('\u{1b}') && text.contains("| 1 | a \\| b␊\\# not a heading |"), "{text}");
    assert!(text.contains("](my%20report-1.svg)") && figures[0].0 == "my report-1.svg");
    // As pages too.
    assert!(amber_plot::document_pdf(&document).unwrap().starts_with(b"%PDF"));
}
