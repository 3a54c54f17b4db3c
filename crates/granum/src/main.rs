//! Begins the program. All of it stands in the library beside, so that it is built while the core still
//! is, where a program would have to wait for the core.

fn main() -> std::process::ExitCode {
    granum::main()
}
