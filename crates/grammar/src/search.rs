//! The readings that a text may have, each with what it costs.

use crate::bits::{self, prior};
use crate::column::{Judge, distinct};
use crate::lex::{self, Kind, Options, Token, is_gap_word};
use crate::merge;
use crate::number::{Comma, Writing};
use crate::rows::Reading;
use crate::template::{Parted, Template, ways};
use regex::Regex;
use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};
use std::hash::{Hash, Hasher};
use std::sync::LazyLock;

/// The most ways of writing that are tried.
const MOST_OPTIONS: usize = 24;
/// The most forms of lines that are looked at; those of the fewest lines are not explained.
const MOST_FORMS: usize = 24;

fn regex(text: &str) -> Regex {
    #[expect(clippy::expect_used, reason = "the expressions are those of this file")]
    Regex::new(text).expect("a sound expression")
}

macro_rules! expressions {
    ($($name:ident = $text:expr;)*) => { $(static $name: LazyLock<Regex> = LazyLock::new(|| regex($text));)* };
}

expressions! {
    DIGIT = r"\d";
    COMMA = r"\d,\d";
    COMMA_GROUPS = r"(?:^|[^\d.,])\d{1,3},\d{3}(?:\D|$)";
    BLANK_GROUPS = r"(?:^|[^\d.])[1-9]\d{0,2} \d{3}(?:\D|$)";
    APOSTROPHE_GROUPS = r"(?:^|[^\d.])[1-9]\d{0,2}'\d{3}(?:\D|$)";
    POINT_GROUPS = r"(?:^|[^\d.])[1-9]\d{0,2}\.\d{3}(?:\D|$)";
    CLOCK_COMMA = r":\d\d,\d{3}(?:[^\d.]|$)";
    TIME = r"\d{1,3}:[0-5]\d(?::[0-5]\d|\.\d)";
    UNDERSCORES = r"_.*_|\d_[-+.\w]";
    QUOTED_GAP = r#""(?:ERR|NaN|nan|null|n/a|N/A|None|ERROR|OVF|ovf|timeout|NAN|nil|--|---)""#;
    JSON = r#"^\s*(?:\{\s*"|\[\s*[\[\{"])"#;
    MINUS_BETWEEN = r"\d[.,]\d+-\d+[.,]\d";
    GLUED = r"(?:^|[^\w.])[A-Za-z]+[-+]?\d+(?:\.\d+)?(?:[A-Za-z]+[-+]?\d|[^\w.]|$)";
    HEX = r"[0-9A-Za-z_.]+";
    MARKED_HEX = r"(?:^|\W)[#$]([0-9A-Fa-f]+)(?:[^\w.]|\.\D|\.?$)";
}

/// The ways in which a text may be written that it suggests itself, each with what is thought of it before.
fn option_sets(lines: &[&str]) -> Vec<(Options, f64)> {
    let with_numbers = lines.iter().filter(|line| DIGIT.is_match(line)).count().max(1) as f64;
    let share =
        |expression: &Regex| lines.iter().filter(|line| expression.is_match(line)).count() as f64 / with_numbers;
    let often = |expression: &Regex| share(expression) > 0.2;
    let is_json = lines.iter().filter(|line| JSON.is_match(line)).count() as f64 > 0.5 * with_numbers;
    let mut sets = vec![(Options { quotes: is_json, ..Options::default() }, 0.0)];
    let mut offer = |holds: bool, bits: f64, apply: &dyn Fn(&mut Options)| {
        if holds && sets.len() * 2 <= 2 * MOST_OPTIONS {
            let more: Vec<(Options, f64)> = sets
                .iter()
                .map(|(options, cost)| {
                    let mut options = options.clone();
                    apply(&mut options);
                    (options, cost + bits)
                })
                .collect();
            sets.extend(more);
        }
    };
    let hex = |text: &str| -> Option<usize> {
        let is_one_case =
            !(text.bytes().any(|b| b.is_ascii_uppercase()) && text.bytes().any(|b| b.is_ascii_lowercase()));
        let has = |is: fn(&u8) -> bool| text.bytes().any(|b| is(&b));
        let sound =
            text.bytes().all(|b| b.is_ascii_hexdigit()) && has(u8::is_ascii_digit) && has(u8::is_ascii_alphabetic);
        (sound && is_one_case && matches!(text.len(), 2 | 4 | 6 | 8)).then_some(text.len())
    };
    let mut widths: HashMap<usize, usize> = HashMap::new();
    let mut texts: HashSet<&str> = HashSet::new();
    let mut marked: HashMap<usize, usize> = HashMap::new();
    for line in lines {
        texts.extend(HEX.find_iter(line).map(|found| found.as_str()).filter(|text| hex(text).is_some()));
        for width in HEX.find_iter(line).filter_map(|found| hex(found.as_str())).collect::<HashSet<usize>>() {
            *widths.entry(width).or_default() += 1;
        }
        for found in MARKED_HEX.captures_iter(line).filter_map(|found| found.get(1)) {
            *marked.entry(found.len()).or_default() += 1;
        }
    }
    let common = |widths: &HashMap<usize, usize>, least: f64| {
        let mut found: Vec<usize> = widths
            .iter()
            .filter(|(width, count)| {
                matches!(width, 2 | 4 | 6 | 8) && **count >= 3 && **count as f64 > least * with_numbers
            })
            .map(|(width, _)| *width)
            .collect();
        found.sort_unstable();
        found
    };
    let (mut bare_hex, marked_hex) = (common(&widths, 0.02), common(&marked, 0.1));
    // A name that looks like one is the same on all lines.
    bare_hex.retain(|width| texts.iter().filter(|text| text.len() == *width).count() >= 3);
    let is_comma = often(&COMMA) && !is_json;
    offer(is_comma, prior::DECIMAL_COMMA, &|o| o.writing.comma = Comma::Decimal);
    offer(!bare_hex.is_empty(), prior::HEX_BARE, &|o| o.hex = bare_hex.clone());
    offer(!marked_hex.is_empty(), prior::HEX_MARKED, &|o| o.marked_hex = marked_hex.clone());
    offer(often(&TIME), prior::NO_CLOCK, &|o| o.no_times = true);
    offer(often(&CLOCK_COMMA), prior::CLOCK_COMMA_APART, &|o| o.clock_comma_apart = true);
    offer(share(&UNDERSCORES) > 0.5, prior::UNDERSCORE, &|o| o.underscore = true);
    offer(lines.iter().any(|line| QUOTED_GAP.is_match(line)), prior::QUOTED_GAPS, &|o| o.quoted_gaps = true);
    offer(often(&MINUS_BETWEEN), prior::MINUS_BETWEEN, &|o| o.minus_between = true);
    offer(often(&GLUED), prior::GLUED, &|o| o.glued = true);
    let now_and_then = |expression: &Regex| share(expression) > 0.02 && share(expression) * with_numbers >= 3.0;
    let groups = |mark: char| move |o: &mut Options| o.writing = Writing { groups: Some(mark), ..o.writing };
    offer(now_and_then(&BLANK_GROUPS), prior::GROUPS_OTHER, &groups(' '));
    offer(now_and_then(&APOSTROPHE_GROUPS), prior::GROUPS_APOSTROPHE, &groups('\''));
    offer(now_and_then(&POINT_GROUPS), prior::GROUPS_OTHER, &groups('.'));
    offer(now_and_then(&COMMA_GROUPS) && !is_json, prior::GROUPS_COMMA, &|o| o.writing.comma = Comma::Groups);
    let sound = |(options, _): &(Options, f64)| {
        let Writing { comma, groups } = options.writing;
        match groups {
            None => true,
            Some('.') => comma == Comma::Between,
            Some(_) => comma != Comma::Groups,
        }
    };
    sets.retain(sound);
    let mut unique: Vec<(Options, f64)> = Vec::new();
    sets.sort_by(|a, b| a.1.total_cmp(&b.1));
    for set in sets {
        if !unique.iter().any(|(options, _)| *options == set.0) {
            unique.push(set);
        }
    }
    unique.truncate(MOST_OPTIONS);
    unique
}

/// The lines of a text.
pub(crate) struct Text<'a> {
    pub(crate) lines: Vec<&'a str>,
    /// Lines that are no evidence: the first, in which listening began, and a last one without its end.
    pub(crate) skip: BTreeSet<usize>,
    /// The lines with a sign for each run of digits.
    masked: Vec<String>,
}

impl<'a> Text<'a> {
    pub(crate) fn new(lines: Vec<&'a str>, is_ended: bool) -> Text<'a> {
        let mut skip = BTreeSet::new();
        if lines.len() > 3 {
            skip.insert(0);
            if !is_ended {
                skip.insert(lines.len() - 1);
            }
        }
        let masked = lines.iter().map(|line| masked(line)).collect();
        Text { lines, skip, masked }
    }

    /// All readings, the cheapest first; of those that tell the same, the cheapest.
    pub(crate) fn ranked(&self) -> Vec<Reading<'a>> {
        let judge = Judge::default();
        let mut all: Vec<Reading<'a>> = Vec::new();
        let mut ways: HashSet<u64> = HashSet::new();
        for (options, prior) in option_sets(&self.lines) {
            let cut = self.cut(&options);
            // What changes nothing on the lines need not be tried; the cheaper way came first.
            if ways.insert(way(&cut, options.writing)) {
                all.extend(self.readings(cut, &options, prior, &judge));
            }
        }
        all.sort_by(|a, b| a.bits.total_cmp(&b.bits));
        let mut seen = HashSet::new();
        all.retain(|reading| seen.insert(told(reading)));
        all
    }

    /// The tokens of the lines that are not blank and no rules, by their numbers.
    fn cut(&self, options: &Options) -> BTreeMap<usize, Vec<Token<'a>>> {
        let is_rule = |line: &str| line.len() >= 3 && line.chars().all(|c| "-=*_#~+.".contains(c));
        let numbered = self.lines.iter().enumerate();
        let told = numbered.filter(|(_, line)| !line.trim().is_empty() && !is_rule(line.trim()));
        told.map(|(number, line)| (number, lex::tokens(line, options))).collect()
    }

    /// The best few readings in one way of writing.
    fn readings(
        &self,
        cut: BTreeMap<usize, Vec<Token<'a>>>,
        options: &Options,
        prior: f64,
        judge: &Judge<'a>,
    ) -> Vec<Reading<'a>> {
        let mut prior = prior;
        let mut marks: BTreeSet<usize> = (0..self.lines.len()).filter(|line| !cut.contains_key(line)).collect();
        let mut forms: Vec<(String, Vec<usize>)> = Vec::new();
        let mut places: HashMap<String, usize> = HashMap::new();
        for (number, tokens) in cut.iter().filter(|(number, _)| !self.skip.contains(number)) {
            let skeleton = lex::skeleton(tokens);
            let place = *places.entry(skeleton.clone()).or_insert(forms.len());
            match forms.get_mut(place) {
                Some((_, lines)) => lines.push(*number),
                None => forms.push((skeleton, vec![*number])),
            }
        }
        forms.sort_by_key(|(_, lines)| std::cmp::Reverse(lines.len()));
        let count: usize = forms.iter().map(|(_, lines)| lines.len()).sum();
        let need = if count < 15 { 2 } else { 3 };
        let mut noise: BTreeSet<usize> = BTreeSet::new();
        let mut choices: Vec<Vec<Parted<'a>>> = Vec::new();
        for (skeleton, lines) in &forms {
            if !skeleton.contains(lex::ATOM) {
                if lines.len() >= need {
                    marks.extend(lines);
                } else {
                    prior += 8.0 * lines.len() as f64;
                }
                prior += self.lines[lines[0]].len() as f64 * prior::TEXT_CHARACTER;
                continue;
            }
            if lines.len() < need || choices.len() >= MOST_FORMS {
                noise.extend(lines);
                continue;
            }
            let odd = messages(lines, &cut);
            noise.extend(&odd);
            let lines: Vec<usize> = lines.iter().copied().filter(|line| !odd.contains(line)).collect();
            let rows = lines.iter().map(|line| cut[line].clone()).collect();
            let joined = vec![false; cut[&lines[0]].len()];
            let whole = Template::new(lines.clone(), rows, joined, Vec::new(), judge, options);
            let mut own = ways(
                &whole,
                0,
                &marks,
                cut.get(&0).is_some_and(|tokens| lex::skeleton(tokens) == *skeleton),
                judge,
                options,
            );
            if let Some(best) =
                own.first_mut().filter(|best| best.by.is_some_and(|by| by != usize::MAX) && best.templates.len() < 6)
            {
                // The parts may be parted again.
                let before: f64 = best.templates.iter().map(|template| template.bits).sum();
                let parts: Vec<Parted<'a>> = best
                    .templates
                    .iter()
                    .filter_map(|template| ways(template, 1, &marks, false, judge, options).into_iter().next())
                    .collect();
                best.bits += parts.iter().map(|part| part.bits).sum::<f64>() - before;
                best.templates = parts.into_iter().flat_map(|part| part.templates).collect();
            }
            let cheapest = own.iter().map(|way| way.bits).fold(f64::INFINITY, f64::min);
            if cheapest > self.raw(lines.iter()) {
                noise.extend(lines);
                continue;
            }
            choices.push(own);
        }
        let mut combinations: Vec<Vec<usize>> = vec![vec![0; choices.len()]];
        for (form, ways) in choices.iter().enumerate().take(3) {
            for way in 1..ways.len().min(3) {
                let mut other = vec![0; choices.len()];
                other[form] = way;
                combinations.push(other);
            }
        }
        combinations
            .into_iter()
            .map(|ways| {
                let chosen: Vec<&Parted<'a>> = choices.iter().zip(ways).map(|(own, way)| &own[way]).collect();
                self.reading(&chosen, need, &marks, &noise, &cut, options, prior, judge)
            })
            .collect()
    }

    #[expect(clippy::too_many_arguments, reason = "what is the same for all readings in one way of writing")]
    fn reading(
        &self,
        chosen: &[&Parted<'a>],
        need: usize,
        marks: &BTreeSet<usize>,
        noise: &BTreeSet<usize>,
        cut: &BTreeMap<usize, Vec<Token<'a>>>,
        options: &Options,
        prior: f64,
        judge: &Judge<'a>,
    ) -> Reading<'a> {
        let mut bits = prior;
        let mut templates: Vec<Template<'a>> = Vec::new();
        for parted in chosen {
            bits += parted.bits - parted.templates.iter().map(|template| template.bits).sum::<f64>();
            templates.extend(parted.templates.iter().cloned());
        }
        // The lines come in turn once, however many forms they have.
        let in_turn = chosen.iter().filter(|parted| parted.is_in_turn).count();
        bits += prior::KEY_IN_TURN * in_turn.saturating_sub(1) as f64;
        let mut noise = noise.clone();
        noise.extend(chosen.iter().flat_map(|parted| &parted.lost));
        templates.retain(|template| {
            let is_enough = template.lines.len() >= need;
            if !is_enough {
                noise.extend(&template.lines);
            }
            is_enough
        });
        let templates = merge::optional_fields(templates, judge, options);
        bits += templates.iter().map(|template| template.bits).sum::<f64>() + self.left(&noise, &templates);
        if options.writing.comma == Comma::Decimal && templates.iter().any(|template| template.is_parted_by(",")) {
            bits += prior::COMMA_TWICE;
        }
        let has_point = |template: &Template<'a>| {
            template.rows[0].iter().any(|token| token.kind == Kind::Number && token.text.contains('.'))
        };
        if options.writing.comma == Comma::Decimal
            && options.writing.groups != Some('.')
            && templates.iter().any(has_point)
        {
            bits += prior::COMMA_AND_POINT;
        }
        let mut kinds: Vec<(usize, usize)> =
            noise.iter().map(|line| (*line, 0)).chain(marks.iter().map(|line| (*line, 1))).collect();
        for (number, template) in templates.iter().enumerate() {
            kinds.extend(template.lines.iter().map(|line| (*line, number + 2)));
        }
        kinds.sort_unstable();
        kinds.dedup_by_key(|(line, _)| *line);
        bits += bits::sequence(&bits::alphabet(kinds.iter().map(|(_, kind)| *kind)));
        // Of the very first line, the beginning may be missing.
        let first = cut.get(&0).and_then(|tokens| {
            let fits = |template: &Template<'a>| {
                let row = &template.rows[0];
                let same = |(place, (a, b)): (usize, (&Token<'_>, &Token<'_>))| {
                    let atom = template.atoms.iter().position(|atom| *atom == place);
                    match atom {
                        Some(atom) => {
                            let is_text = a.text == b.text || (place == 0 && a.text.ends_with(b.text));
                            b.is_atom() && (template.columns[atom].is_slot() || is_text)
                        }
                        None => a.text == b.text,
                    }
                };
                row.len() == tokens.len() && row.iter().zip(tokens).enumerate().all(same)
            };
            templates.iter().rposition(fits)
        });
        Reading::new(&self.lines, marks, templates, noise, options.clone(), bits, first)
    }

    /// What lines cost that none of the templates explains. A few that are like their lines but for a few characters are damaged
    /// ones: that no template fits these speaks against none.
    fn left(&self, noise: &BTreeSet<usize>, templates: &[Template<'a>]) -> f64 {
        let is_damaged_one = |line: &&usize| {
            let own = self.masked[**line].as_str();
            templates.iter().any(|template| {
                let next = template.lines.partition_point(|other| other < line);
                let near = [next.checked_sub(1), Some(next)].into_iter().flatten();
                near.filter_map(|at| template.lines.get(at)).any(|other| {
                    let other = self.masked[*other].as_str();
                    own != other && is_damaged(own, other)
                })
            })
        };
        let (damaged, rest): (Vec<&usize>, Vec<&usize>) = noise.iter().partition(is_damaged_one);
        if damaged.len() * 25 > self.lines.len() + 25 {
            return self.raw(noise.iter());
        }
        let each = |line: &&usize| self.raw(std::iter::once(*line)).min(prior::DAMAGED);
        self.raw(rest.into_iter()) + damaged.iter().map(each).sum::<f64>()
    }

    /// What these lines cost where nothing explains them: each kind once in full.
    fn raw<'l>(&self, lines: impl Iterator<Item = &'l usize>) -> f64 {
        let texts = distinct(lines.map(|line| self.lines[*line]));
        let cost = |(text, count): &(&str, usize)| {
            prior::RAW_LINE + prior::RAW_CHARACTER * text.chars().count() as f64 + prior::RAW_LINE * *count as f64
        };
        texts.iter().map(cost).sum()
    }
}

/// Lines of a form that are messages: words where numbers stand on nearly all others, or phrases that came once among phrases that
/// come again and again.
fn messages(lines: &[usize], cut: &BTreeMap<usize, Vec<Token<'_>>>) -> BTreeSet<usize> {
    let mut odd: BTreeSet<usize> = BTreeSet::new();
    if lines.len() < 6 {
        return odd;
    }
    let n = lines.len() as f64;
    let token = |line: &usize, place: usize| cut[line][place];
    let atoms: Vec<usize> = (0..cut[&lines[0]].len()).filter(|place| token(&lines[0], *place).is_atom()).collect();
    let is_number =
        |place: &&usize| lines.iter().filter(|line| token(line, **place).is_number()).count() as f64 > 0.7 * n;
    let numbers: Vec<usize> = atoms.iter().filter(is_number).copied().collect();
    if !numbers.is_empty() {
        let mut seen: HashMap<&str, usize> = HashMap::new();
        for line in lines {
            for place in &numbers {
                let token = token(line, *place);
                if token.kind == Kind::Word {
                    *seen.entry(token.text).or_default() += 1;
                }
            }
        }
        let most = if numbers.len() > 1 { 0.05 } else { 0.01 } * n + 1.0;
        // Behind a name, or a number that comes again, which has words alone, a word is no message.
        let mut firsts: HashMap<&str, usize> = HashMap::new();
        lines.iter().for_each(|line| *firsts.entry(token(line, atoms[0]).text).or_default() += 1);
        let name = |line: &usize, place: usize| {
            let before = cut[line][..place].iter().rev().find(|token| token.is_atom())?;
            let is_index = || before.kind == Kind::Number && firsts.get(before.text).is_some_and(|count| *count > 2);
            (before.kind == Kind::Word || is_index()).then_some(before)
        };
        let mut numbered: HashSet<(usize, &str)> = HashSet::new();
        for line in lines {
            let of = |place: &&usize| token(line, **place).is_number();
            numbered.extend(numbers.iter().filter(of).filter_map(|place| Some((*place, name(line, *place)?.text))));
        }
        let may_be_odd =
            |line: &usize, place: usize| name(line, place).is_none_or(|name| numbered.contains(&(place, name.text)));
        for line in lines {
            let words: Vec<&str> = numbers
                .iter()
                .filter(|place| may_be_odd(line, **place))
                .map(|place| token(line, *place))
                .filter(|token| token.kind == Kind::Word && !is_gap_word(token.text))
                .map(|token| token.text)
                .collect();
            let is_most = words.len() as f64 >= 0.6 * numbers.len() as f64;
            // A header that comes again has a name of its own for each.
            let is_header = words.len() > 1 && words.len() == words.iter().collect::<HashSet<_>>().len();
            let is_message = words.iter().any(|word| seen[word] == 1 && (word.len() > 5 || word.contains(' ')));
            let is_odd = is_message || is_most && (is_header || words.iter().all(|word| seen[word] as f64 <= most));
            if !words.is_empty() && is_odd {
                odd.insert(*line);
            }
        }
    }
    for place in &atoms {
        // A word that is the same everywhere but here, where a byte was lost.
        let kinds = distinct(lines.iter().map(|line| token(line, *place).text));
        let Some((usual, count)) = kinds.iter().copied().max_by_key(|(_, count)| *count) else { continue };
        if count as f64 > 0.9 * n && usual.starts_with(char::is_alphabetic) {
            let is_odd = |line: &&usize| {
                let own = token(line, *place);
                own.text != usual
                    && own.kind != Kind::Empty
                    && kinds.iter().any(|(text, count)| *text == own.text && *count == 1)
                    && is_damaged(own.text, usual)
            };
            odd.extend(lines.iter().filter(is_odd));
        }
    }
    if atoms.len() <= 2 {
        for place in &atoms {
            let words = || lines.iter().filter(|line| token(line, *place).kind == Kind::Word);
            let kinds: HashMap<&str, usize> =
                distinct(words().map(|line| token(line, *place).text)).into_iter().collect();
            let once: Vec<usize> = words().filter(|line| kinds[token(line, *place).text] == 1).copied().collect();
            let all: usize = kinds.values().sum();
            if !once.is_empty() && once.len() as f64 <= 0.15 * n + 1.0 && once.len() * 2 < all {
                odd.extend(once);
            }
        }
    }
    if odd.len() as f64 <= 0.2 * n + 1.0 { odd } else { BTreeSet::new() }
}

/// A way of writing by what it makes of the lines.
fn way(cut: &BTreeMap<usize, Vec<Token<'_>>>, writing: Writing) -> u64 {
    let has = |mark: char| cut.values().flatten().any(|token| token.kind == Kind::Number && token.text.contains(mark));
    let groups = writing.groups.filter(|mark| has(*mark));
    let comma = if has(',') { writing.comma } else { Comma::Between };
    let mut hasher = std::hash::DefaultHasher::new();
    (cut, Writing { comma, groups }).hash(&mut hasher);
    hasher.finish()
}

/// Whether `text` is `whole` with a few characters lost or changed.
fn is_damaged(text: &str, whole: &str) -> bool {
    let front = text.chars().zip(whole.chars()).take_while(|(a, b)| a == b).count();
    let back = text.chars().rev().zip(whole.chars().rev()).take_while(|(a, b)| a == b).count();
    let (own, all) = (text.chars().count(), whole.chars().count());
    (front + back) * 2 >= all && own.abs_diff(all) <= 3
        || (own < all && whole.ends_with(text))
        || whole.starts_with(text)
}

/// A line with one sign for each run of digits.
fn masked(line: &str) -> String {
    let mut masked = String::with_capacity(line.len());
    for c in line.chars() {
        match c.is_ascii_digit() {
            true if masked.ends_with('0') => {}
            true => masked.push('0'),
            false => masked.push(c),
        }
    }
    masked
}

/// What a reading tells, whatever it calls things: its columns that vary.
fn told(reading: &Reading<'_>) -> BTreeSet<Vec<Option<u64>>> {
    let column =
        |place: usize| reading.rows.iter().map(|row| row[place].map(f64::to_bits)).collect::<Vec<Option<u64>>>();
    let varies = |values: &Vec<Option<u64>>| values.iter().flatten().collect::<HashSet<_>>().len() > 1;
    (0..reading.columns.len()).map(column).filter(varies).collect()
}
