#!/usr/bin/env bash
# Writes docs/editors/granum.tmLanguage.json anew from the language's word lists. A test says when that is due.
set -euo pipefail
cd "$(dirname "$0")/.."
GRANUM_WRITE_GRAMMAR=1 cargo test --quiet -p granum-core --lib the_grammar_for_editors
