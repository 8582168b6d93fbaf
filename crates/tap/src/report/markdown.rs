//! A report as Markdown, with its figures as SVG beside it.

use amber_plot::{Block, Document, Figure};

/// The text, and the figures with the names by which it calls them; `stem` begins these names.
pub(crate) fn markdown(document: &Document, stem: &str) -> (String, Vec<(String, Figure)>) {
    let mut figures: Vec<(String, Figure)> = Vec::new();
    let mut out = format!("# {}\n\n{}\n", plain(&document.title), plain(&document.subtitle));
    for block in &document.blocks {
        out.push('\n');
        match block {
            Block::Heading(heading) => out += &format!("## {}\n", plain(heading)),
            Block::Text(words) => out += &format!("{}\n", plain(words)),
            Block::Facts(facts) => {
                facts.iter().for_each(|(name, value)| out += &format!("- **{}**: {}\n", plain(name), plain(value)));
            }
            Block::Table(table) => {
                let row = |cells: &[String]| {
                    format!("| {} |\n", cells.iter().map(|cell| plain(cell)).collect::<Vec<_>>().join(" | "))
                };
                out += &row(&table.header);
                let rule = (0..table.header.len()).map(|column| if column < table.words { "---" } else { "---:" });
                out += &format!("|{}|\n", rule.collect::<Vec<_>>().join("|"));
                table.rows.iter().for_each(|cells| out += &row(cells));
            }
            Block::Figure(figure, caption) => {
                let name = format!("{stem}-{}.svg", figures.len() + 1);
                // A space would end the name of a link.
                out += &format!("![{}]({})\n\n{}\n", plain(&figure.title), name.replace(' ', "%20"), plain(caption));
                figures.push((name, (**figure).clone()));
            }
        }
    }
    (out, figures)
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
