//! A report as Markdown, with its figures as SVG beside it.

use amber_plot::{Block, Document, Figure};

/// The text, and the figures with the names by which it calls them; `stem` begins these names.
pub(crate) fn markdown(document: &Document, stem: &str) -> (String, Vec<(String, Figure)>) {
    let mut figures: Vec<(String, Figure)> = Vec::new();
    let mut out = format!("# {}\n\n{}\n", plain(&document.title), plain(&document.subtitle));
    for part in &document.blocks {
        out.push('\n');
        match part {
            Block::Figure(figure, caption) => {
                let name = format!("{stem}-{}.svg", figures.len() + 1);
                // A space would end the name of a link.
                out += &format!("![{}]({})\n\n{}\n", plain(&figure.title), name.replace(' ', "%20"), plain(caption));
                figures.push((name, (**figure).clone()));
            }
            part => out += &block(part),
        }
    }
    (out, figures)
}

/// A part of a report, figures apart.
pub(crate) fn block(part: &Block) -> String {
    match part {
        Block::Heading(heading) => format!("## {}\n", plain(heading)),
        Block::Text(words) => format!("{}\n", plain(words)),
        Block::Facts(facts) => {
            facts.iter().map(|(name, value)| format!("- **{}**: {}\n", plain(name), plain(value))).collect()
        }
        Block::Table(table) => {
            let row = |cells: &[String]| {
                format!("| {} |\n", cells.iter().map(|cell| plain(cell)).collect::<Vec<_>>().join(" | "))
            };
            let rule = (0..table.header.len()).map(|column| if column < table.words { "---" } else { "---:" });
            let rule = format!("|{}|\n", rule.collect::<Vec<_>>().join("|"));
            row(&table.header) + &rule + &table.rows.iter().map(|cells| row(cells)).collect::<String>()
        }
        Block::Figure(..) => String::new(),
    }
}

/// A text in which nothing means anything but itself.
fn plain(text: &str) -> String {
    let mut out = String::new();
    for c in text.chars() {
        let c = amber_core::tail::visible_char(c);
        if matches!(c, '\\' | '`' | '*' | '_' | '[' | ']' | '<' | '>' | '#' | '|' | '~' | '!' | '&') {
            out.push('\\');
        }
        out.push(c);
    }
    out
}
