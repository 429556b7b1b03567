#!/usr/bin/env bash
# The joint between document and picture (docs/architecture.md): what makes pictures reads frame states, never the document;
# and a kind is asked for only in its own files and in the one list of its kinds.
set -euo pipefail
cd "$(dirname "$(readlink -f "$0")")/.."
bad=0
if git ls-files 'core/comp/*' 'core/retouch/*' 'core/measure/*' 'core/output/*' | xargs grep -nE 'shot::Shot\b|#include "core/shot/'; then
  echo "what makes pictures reads the document"; bad=1
fi
# "OnSurface" is on_surface: a kind's own files carry its name.
fileOf() { sed -E 's/([a-z])([A-Z])/\1_\2/g' <<<"$1" | tr '[:upper:]' '[:lower:]'; }
# The kinds that a list names, from its std::variant<...>.
kindsIn() { tr '\n' ' ' < "$1" | sed -nE "s/.*using $2 = std::variant<([^>]*)>.*/\1/p" | tr -d ' ' | tr ',' ' '; }
askedFor() {  # namespace kind allowed-files
  local file; file=$(fileOf "$2")
  if git ls-files 'core/*' 'batch/*' 'app/*' | grep -vE "/(${file}(er)?(_settings|_render|_words|_edit|_evaluate|_problems)?\.(h|cpp)|$3)$" | xargs grep -nE "$1::$2\b"; then
    echo "$1::$2 is asked for outside its own files"; bad=1
  fi
}
for kind in $(kindsIn core/element/source.h Source); do askedFor element "$kind" 'source\.h|types\.cpp'; done
for kind in $(kindsIn core/element/place.h Place); do askedFor element "$kind" 'place\.h|types\.cpp'; done
for kind in $(kindsIn core/matte/content.h Content); do askedFor matte "$kind" 'content\.h|matte\.h|shape_editor\.(h|cpp)|make\.h'; done
# Kinds of surfaces: core/set/form.h; only a kind's own file says its name.
if git ls-files 'core/*' 'batch/*' 'app/*' | grep -vE '/set/(plane|box|cylinder|sphere|mesh)\.cpp$' | xargs grep -nE 'SurfaceKind::[A-Z]'; then
  echo "a kind of surface is asked for outside its own file"; bad=1
fi
[ $bad = 0 ] && echo "what makes pictures reads frame states; kinds are asked for at home"
exit $bad
