//! Names for sources, by which their channels are told apart where several are watched.

use super::WireSettings;

/// A name for each source, all different: its own, else the last part of its port.
pub fn source_names<'a>(sources: impl IntoIterator<Item = &'a WireSettings>) -> Vec<String> {
    let mut names: Vec<String> = Vec::new();
    for source in sources {
        let port = source.port.rsplit('/').find(|part| !part.is_empty()).unwrap_or("source");
        let name = if source.name.is_empty() { port } else { &source.name };
        let plain = |c: char| if c.is_alphanumeric() || matches!(c, '_' | '-') { c } else { '_' };
        let base: String = name.chars().map(plain).take(24).collect();
        let taken = |name: &str| names.iter().any(|other| other == name);
        let free = (2..).map(|n| format!("{base}-{n}")).find(|name| !taken(name));
        let name = if taken(&base) { free.unwrap_or_default() } else { base };
        names.push(name);
    }
    names
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_source_has_a_name_of_its_own() {
        let same = [WireSettings::at("/dev/a/x"), WireSettings::at("x"), WireSettings::at("flume")];
        assert_eq!(source_names(&same), ["x", "x-2", "flume"]);
    }
}
