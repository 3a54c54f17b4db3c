//! Commands that are printed to be tried: a shell takes them as they stand.

/// A word as a shell takes it.
pub(super) fn word(text: &str) -> String {
    let plain = |letter: char| letter.is_ascii_alphanumeric() || "_./-+:,@%=".contains(letter);
    if !text.is_empty() && text.chars().all(plain) {
        return text.to_owned();
    }
    format!("'{}'", text.replace('\'', "'\\''"))
}

/// So many rows are shown when nothing is said.
pub const SHOWN: usize = 20;

/// `granum show` of all of so many rows of a table of a plan, with the values that its parameters have.
pub(super) fn show(
    (plan, settings): (&str, &[(String, String)]),
    table: &str,
    (option, value): (&str, &str),
    rows: u64,
) -> String {
    let rows = if rows > SHOWN as u64 { format!(" --rows {rows}") } else { String::new() };
    show_with((plan, settings), table, &format!("{option} {}{rows}", word(value)))
}

/// `granum show` of the first rows that steps on the way to a table of a plan took out.
pub(super) fn removed(plan: (&str, &[(String, String)]), table: &str) -> String {
    show_with(plan, table, "--removed")
}

fn show_with((plan, settings): (&str, &[(String, String)]), table: &str, options: &str) -> String {
    let mut set = String::new();
    for (name, value) in settings {
        set.push_str(" --set ");
        set.push_str(&word(&format!("{name}={value}")));
    }
    // A plan that was given as a text stands for itself.
    let plan = if plan.starts_with("-e ") { plan.to_owned() } else { word(plan) };
    format!("granum show {plan} {} {options}{set}", word(table))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_shell_gives_each_word_back() {
        for text in ["", "a.granum", "my plan", "it's", "a\"b\\c$d`e!", "x < 3;y", "über", "*?[a]"]
        {
            let script = format!("printf %s {}", word(text));
            let ran = std::process::Command::new("sh").args(["-c", &script]).output();
            assert_eq!(String::from_utf8_lossy(&ran.unwrap().stdout), text);
        }
        assert_eq!(word("data/a-1.granum"), "data/a-1.granum");
    }
}
