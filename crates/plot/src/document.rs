//! Documents of several pages: headings, text, facts, tables and figures, from top to bottom on A4.

use crate::embed::Widths;
use crate::page::{self, FAMILIES};
use crate::{Figure, Paper, PlotError, draw};
use std::fmt::Write;

/// A document.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Document {
    /// What it is about; stands on the first page, and at the foot of each.
    pub title: String,
    /// What stands below the title.
    pub subtitle: String,
    /// What it consists of, in its order.
    pub blocks: Vec<Block>,
}

/// A part of a document.
#[derive(Clone, Debug, PartialEq)]
pub enum Block {
    /// A heading.
    Heading(String),
    /// A paragraph.
    Text(String),
    /// Names with what they are.
    Facts(Vec<(String, String)>),
    /// A table.
    Table(Table),
    /// A figure, as wide as the page, with what stands below it. The paper of the figure says how high it is.
    Figure(Box<Figure>, String),
}

/// A table.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Table {
    /// The headings of its columns.
    pub header: Vec<String>,
    /// Its rows, each with as many cells as there are columns.
    pub rows: Vec<Vec<String>>,
    /// So many columns from the left hold words; the others hold numbers, which stand at the right.
    pub words: usize,
}

/// A4 in hundredths of a millimetre, and what is left free around it.
const WIDTH: i32 = 21_000;
const HEIGHT: i32 = 29_700;
const SIDE: i32 = 2_000;
const TOP: i32 = 2_000;
const BOTTOM: i32 = 27_500;

/// Sizes of text, and how much higher a line is than its text.
const TEXT: i32 = 340;
const SMALL: i32 = 280;
const HEADING: i32 = 480;
const TITLE: i32 = 760;
const LEADING: f64 = 1.4;

const INK: &str = "#221E18";
const GREY: &str = "#6B6358";
const RULE: &str = "#C9C0B2";

/// The width of a figure on a page, in millimetres.
pub const FIGURE_WIDTH: f64 = 170.0;

/// Draws a document as SVG, a text for each page.
///
/// # Errors
/// When the drawing library rejects a figure.
pub fn pages(document: &Document) -> Result<Vec<String>, PlotError> {
    let mut layout = Layout { widths: Widths::new()?, pages: vec![String::new()], y: TOP };
    layout.title(&document.title, &document.subtitle);
    for block in &document.blocks {
        layout.block(block)?;
    }
    let count = layout.pages.len();
    let page = |(number, body): (usize, String)| {
        let mut page = format!(
            "<svg width=\"210mm\" height=\"297mm\" viewBox=\"0 0 {WIDTH} {HEIGHT}\" \
             xmlns=\"http://www.w3.org/2000/svg\">\n<rect width=\"{WIDTH}\" height=\"{HEIGHT}\" fill=\"#FFFFFF\"/>\n{body}"
        );
        let foot = HEIGHT - 1_300;
        text(&mut page, &document.title, (SIDE, foot), SMALL, GREY, "start");
        text(&mut page, &format!("{} / {count}", number + 1), (WIDTH - SIDE, foot), SMALL, GREY, "end");
        page + "</svg>\n"
    };
    Ok(layout.pages.into_iter().enumerate().map(page).collect())
}

/// Turns a document into PDF. Text stays text, and its font is embedded.
///
/// # Errors
/// As [`pages`].
pub fn document_pdf(document: &Document) -> Result<Vec<u8>, PlotError> {
    page::pdf_of_pages(&pages(document)?, (f64::from(WIDTH) / 100.0, f64::from(HEIGHT) / 100.0))
}

/// A line of text as an element.
fn text(out: &mut String, line: &str, (x, y): (i32, i32), size: i32, ink: &str, anchor: &str) {
    // Writing to a string cannot fail.
    let _ = writeln!(
        out,
        "<text x=\"{x}\" y=\"{y}\" font-family=\"{FAMILIES}\" font-size=\"{size}\" fill=\"{ink}\" \
         text-anchor=\"{anchor}\">{}</text>",
        escaped(line)
    );
}

fn escaped(line: &str) -> String {
    draw::printable(line).replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;")
}

struct Layout {
    widths: Widths,
    pages: Vec<String>,
    /// Where the next block begins on the last page.
    y: i32,
}

impl Layout {
    fn page(&mut self) -> &mut String {
        let last = self.pages.len() - 1;
        &mut self.pages[last]
    }

    /// Begins another page where less than `height` is left of this one.
    fn need(&mut self, height: i32) {
        if self.y + height > BOTTOM && self.y > TOP {
            self.pages.push(String::new());
            self.y = TOP;
        }
    }

    /// A line at the present place, from `x` on.
    fn line(&mut self, line: &str, x: i32, size: i32, ink: &str) {
        let height = (f64::from(size) * LEADING) as i32;
        self.need(height);
        let y = self.y + size;
        text(self.page(), line, (x, y), size, ink, "start");
        self.y += height;
    }

    fn title(&mut self, title: &str, subtitle: &str) {
        for line in self.widths.wrapped(title, WIDTH - 2 * SIDE, TITLE) {
            self.line(&line, SIDE, TITLE, INK);
        }
        for line in self.widths.wrapped(subtitle, WIDTH - 2 * SIDE, TEXT) {
            self.line(&line, SIDE, TEXT, GREY);
        }
        self.y += TEXT;
    }

    fn block(&mut self, block: &Block) -> Result<(), PlotError> {
        match block {
            Block::Heading(heading) => {
                // Not alone at the foot of a page.
                self.need(HEADING * 6);
                self.y += HEADING / 2;
                let line = self.widths.cut(heading, WIDTH - 2 * SIDE, HEADING);
                self.line(&line, SIDE, HEADING, INK);
                self.y += HEADING / 4;
            }
            Block::Text(words) => {
                for line in self.widths.wrapped(words, WIDTH - 2 * SIDE, TEXT) {
                    self.line(&line, SIDE, TEXT, INK);
                }
                self.y += TEXT / 2;
            }
            Block::Facts(facts) => self.facts(facts),
            Block::Table(table) => self.table(table),
            Block::Figure(figure, caption) => self.figure(figure, caption)?,
        }
        Ok(())
    }

    fn facts(&mut self, facts: &[(String, String)]) {
        let names = facts.iter().map(|(name, _)| self.widths.of(name, TEXT)).max().unwrap_or(0);
        let indent = (names + TEXT).min((WIDTH - 2 * SIDE) / 3);
        for (name, value) in facts {
            let lines = self.widths.wrapped(value, WIDTH - 2 * SIDE - indent, TEXT);
            self.need((f64::from(TEXT) * LEADING) as i32);
            let (y, name) = (self.y + TEXT, self.widths.cut(name, indent - TEXT / 2, TEXT));
            text(self.page(), &name, (SIDE, y), TEXT, GREY, "start");
            if lines.is_empty() {
                self.y += (f64::from(TEXT) * LEADING) as i32;
            }
            for line in lines {
                self.line(&line, SIDE + indent, TEXT, INK);
            }
        }
        self.y += TEXT / 2;
    }

    fn table(&mut self, table: &Table) {
        let columns = table.header.len();
        let room = WIDTH - 2 * SIDE;
        let gap = 360;
        let width = |column: usize, size: i32| {
            let cells = table.rows.iter().filter_map(|row| row.get(column));
            let widest = cells.chain([&table.header[column]]).map(|cell| self.widths.of(cell, size)).max();
            widest.unwrap_or(0)
        };
        let all = |size: i32| (0..columns).map(|column| width(column, size) + gap).sum::<i32>() - gap;
        // Wide tables are set smaller; words that are still too wide are cut.
        let size = [TEXT, 310, SMALL, 240, 210].into_iter().find(|size| all(*size) <= room).unwrap_or(210);
        let mut widths: Vec<i32> = (0..columns).map(|column| width(column, size)).collect();
        let over = (widths.iter().sum::<i32>() + gap * (columns as i32 - 1) - room).max(0);
        if over > 0
            && let Some(widest) = widths.iter_mut().max()
        {
            *widest = (*widest - over).max(1_000);
        }
        let height = (f64::from(size) * LEADING) as i32;
        self.need(height * 3);
        self.row(&table.header, &widths, table.words, (size, gap), GREY);
        self.rule();
        for row in &table.rows {
            if self.y + height > BOTTOM {
                self.need(height * 2);
                self.row(&table.header, &widths, table.words, (size, gap), GREY);
                self.rule();
            }
            self.row(row, &widths, table.words, (size, gap), INK);
        }
        self.y += TEXT;
    }

    fn rule(&mut self) {
        let y = self.y + 20;
        let _ = writeln!(
            self.page(),
            "<line x1=\"{SIDE}\" y1=\"{y}\" x2=\"{}\" y2=\"{y}\" stroke=\"{RULE}\" stroke-width=\"14\"/>",
            WIDTH - SIDE
        );
        self.y += 90;
    }

    fn row(&mut self, cells: &[String], widths: &[i32], words: usize, (size, gap): (i32, i32), ink: &str) {
        let mut x = SIDE;
        let y = self.y + size;
        for (column, (cell, width)) in cells.iter().zip(widths).enumerate() {
            let cell = self.widths.cut(cell, *width, size);
            if column < words {
                text(self.page(), &cell, (x, y), size, ink, "start");
            } else {
                text(self.page(), &cell, (x + width, y), size, ink, "end");
            }
            x += width + gap;
        }
        self.y += (f64::from(size) * LEADING) as i32;
    }

    fn figure(&mut self, figure: &Figure, caption: &str) -> Result<(), PlotError> {
        let Paper { width, height, .. } = figure.paper;
        let wide = WIDTH - 2 * SIDE;
        let high = ((f64::from(wide) * height / width) as i32).min(BOTTOM - TOP - 2_000);
        self.need(high + 3 * TEXT);
        let drawing = draw::svg(figure)?;
        let y = self.y;
        let tag = format!("<svg width=\"{width}mm\" height=\"{height}mm\"");
        let placed = format!("<svg x=\"{SIDE}\" y=\"{y}\" width=\"{wide}\" height=\"{high}\"");
        self.page().push_str(&drawing.replacen(&tag, &placed, 1));
        self.y += high + TEXT / 2;
        for line in self.widths.wrapped(caption, wide, SMALL) {
            self.line(&line, SIDE, SMALL, GREY);
        }
        self.y += TEXT;
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Lane, Trace};

    fn document() -> Document {
        let trace =
            Trace { letter: 'A', name: "a".into(), runs: vec![vec![(0.0, 1.0), (9.0, 2.0)]], ..Trace::default() };
        let lane = Lane { label: "mm".into(), limits: (0.0, 3.0), traces: vec![trace], ..Lane::default() };
        let paper = Paper { width: FIGURE_WIDTH, height: 100.0, is_dark: false };
        let figure = Figure { title: "waves".into(), x: (0.0, 9.0), lanes: vec![lane], paper, ..Figure::default() };
        let long = "a sentence that is said again and again <because> it is to fill a line & more ".repeat(30);
        let row = |i: usize| vec![format!("station {i}"), "mm".into(), format!("{i}.25"), "0.001".into()];
        Document {
            title: "A report & more".into(),
            subtitle: "take-0001".into(),
            blocks: vec![
                Block::Heading("Figure".into()),
                Block::Figure(Box::new(figure), "what is to be seen".into()),
                Block::Text(long),
                Block::Facts(vec![("rows".into(), "100".into()), ("a name".repeat(40), String::new())]),
                Block::Table(Table {
                    header: ["station", "unit", "mean", "deviation"].map(str::to_owned).into(),
                    rows: (0..120).map(row).collect(),
                    words: 2,
                }),
                Block::Table(Table {
                    header: (0..30).map(|i| format!("column {i}")).collect(),
                    rows: vec![vec!["\u{1b}[2J x".repeat(9); 30]],
                    words: 1,
                }),
            ],
        }
    }

    #[test]
    fn a_document_goes_on_from_page_to_page_and_keeps_within_them() {
        let pages = pages(&document()).unwrap();
        assert!((3..8).contains(&pages.len()), "{}", pages.len());
        let all = pages.concat();
        for part in ["A report &amp; more", "station 119", "&lt;because&gt;", &format!("1 / {}", pages.len())] {
            assert!(all.contains(part), "{part} is missing");
        }
        assert!(!all.contains('\u{1b}') && pages.iter().filter(|page| page.contains(">deviation<")).count() >= 2);
        for y in all.split("<text x=\"").skip(1).filter_map(|rest| rest.split(" y=\"").nth(1)) {
            let y: f64 = y.split('"').next().unwrap().parse().unwrap();
            assert!((0.0..=f64::from(HEIGHT)).contains(&y), "{y}");
        }
        let page = document_pdf(&document()).unwrap();
        let count = String::from_utf8_lossy(&page).matches("/Type /Page\n").count();
        assert_eq!(count, pages.len());
        assert!(page.starts_with(b"%PDF-1.") && page.len() < 400_000, "{}", page.len());
    }
}
