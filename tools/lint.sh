#!/usr/bin/env bash
# clang-tidy (.clang-tidy) over core and batch, or over the files given (app/*.cpp: some minutes more). Needs a
# configured build, and ./run fetch clang-tidy.
set -euo pipefail
cd "$(dirname "$(readlink -f "$0")")/.."
mkdir -p build/lint
# Clang reads the sources without GCC's precompiled headers, memory settings and own warnings.
sed -E 's/-Winvalid-pch -include [^ ]+//; s/--param ggc-[^ ]+//g; s/-Wno-(restrict|stringop-overflow|stringop-overread|array-bounds|subobject-linkage)//g' build/compile_commands.json >build/lint/compile_commands.json
[ $# -gt 0 ] || set -- $(git ls-files 'core/*.cpp' 'batch/*.cpp')
printf '%s\n' "$@" | xargs -P "$(nproc)" -n 1 clang-tidy -p build/lint --quiet 2> >(grep -v 'warnings generated' >&2)
