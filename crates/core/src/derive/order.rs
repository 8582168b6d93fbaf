//! Which channels need which, and the order that follows.

use crate::bench::ChannelSettings;

/// The names of a channel: the board's label, and what a person calls it.
#[derive(Clone, Debug)]
pub(crate) struct Names {
    label: String,
    title: String,
}

pub(crate) fn names(channels: &[&ChannelSettings]) -> Vec<Names> {
    let of = |channel: &&ChannelSettings| Names { label: channel.name.clone(), title: channel.title().to_owned() };
    channels.iter().map(of).collect()
}

/// The channel that `name` means: by the board's label, else by what a person calls it.
pub(crate) fn meant(channels: &[Names], name: &str) -> Option<usize> {
    let labelled = channels.iter().position(|channel| channel.label == name);
    labelled.or_else(|| channels.iter().position(|channel| channel.title == name))
}

/// The channels that each one needs, by index.
pub(super) fn needs(channels: &[&ChannelSettings]) -> Vec<Vec<usize>> {
    let names = names(channels);
    let of = |channel: &&ChannelSettings| {
        let formula = channel.formula.iter().flat_map(|formula| formula.program().inputs().to_vec());
        let reference = channel.scale.scaler().reference().map(str::to_owned);
        formula.map(|input| input.name).chain(reference).filter_map(|name| meant(&names, &name)).collect()
    };
    channels.iter().map(of).collect()
}

/// All channels in an order in which each stands behind those that it needs, or a circle of them.
pub(super) fn in_order(needs: &[Vec<usize>]) -> Result<Vec<usize>, Vec<usize>> {
    // Visited: 0 not yet, 1 on the way, 2 done.
    fn visit(at: usize, needs: &[Vec<usize>], seen: &mut [u8], way: &mut Vec<usize>, out: &mut Vec<usize>) -> bool {
        match seen[at] {
            2 => return true,
            1 => {
                way.push(at);
                return false;
            }
            _ => {}
        }
        seen[at] = 1;
        way.push(at);
        if !needs[at].iter().all(|need| visit(*need, needs, seen, way, out)) {
            return false;
        }
        way.pop();
        seen[at] = 2;
        out.push(at);
        true
    }
    let (mut seen, mut way, mut out) = (vec![0; needs.len()], Vec::new(), Vec::new());
    for at in 0..needs.len() {
        if !visit(at, needs, &mut seen, &mut way, &mut out) {
            let again = way.last().copied().unwrap_or(at);
            let begin = way.iter().position(|on| *on == again).unwrap_or(0);
            return Err(way.split_off(begin));
        }
    }
    Ok(out)
}

/// Says which channels need one another in a circle, if any do: `a needs b, which needs a`.
pub fn circle(channels: &[&ChannelSettings]) -> Option<String> {
    let way = in_order(&needs(channels)).err()?;
    let names: Vec<&str> = way.iter().map(|at| channels[*at].title()).collect();
    Some(match names[..] {
        [own, _] => format!("{own} needs itself"),
        _ => format!("{} needs {}", names[0], names[1..].join(", which needs ")),
    })
}
