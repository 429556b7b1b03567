#!/usr/bin/env bash
# The joint between document and picture (docs/architecture.md): what makes pictures reads frame states, never the document;
# and a kind of source or place is asked for only in its own files and in the one list of kinds.
set -euo pipefail
cd "$(dirname "$(readlink -f "$0")")/.."
bad=0
if git ls-files 'core/comp/*' 'core/measure/*' 'core/output/*' | xargs grep -nE 'shot::Shot\b|#include "core/shot/'; then
  echo "what makes pictures reads the document"; bad=1
fi
# A kind's own files carry its name; the lists are element/source.h and element/place.h, and of types shot/types.cpp.
for kind in Patch:patch Cg:cg Checker:checker Shadow:shadow Picture:picture OnSurface:on_surface ThroughCamera:through_camera AtInfinity:at_infinity OnScreen:on_screen InFlatView:in_flat_view Fill:fill OnRegion:on_region Paint:paint; do
  name=${kind%%:*}; file=${kind##*:}
  if git ls-files 'core/*' 'batch/*' 'app/*' | grep -vE "/(${file}(er)?(_settings|_render|_words|_edit)?\.(h|cpp)|source\.h|place\.h|types\.cpp)$" | xargs grep -nE "element::$name\b"; then
    echo "element::$name is asked for outside its own files"; bad=1
  fi
done
# The same for what a matte's part consists of; the list is matte/content.h.
for kind in RotoShapes:roto_shapes ImageMatte:image_matte Keyer:keyer; do
  name=${kind%%:*}; file=${kind##*:}
  if git ls-files 'core/*' 'batch/*' 'app/*' | grep -vE "/(${file}(_evaluate|_render|_words|_edit)?\.(h|cpp)|shape_editor\.(h|cpp)|content\.h|matte_content\.h|matte_words\.h|make\.h)$" | xargs grep -nE "matte::$name\b"; then
    echo "matte::$name is asked for outside its own files"; bad=1
  fi
done
# Kinds of surfaces: core/set/form.h; only a kind's own file says its name.
if git ls-files 'core/*' 'batch/*' 'app/*' | grep -vE '/set/(plane|box|cylinder|sphere|mesh)\.cpp$' | xargs grep -nE 'SurfaceKind::[A-Z]'; then
  echo "a kind of surface is asked for outside its own file"; bad=1
fi
[ $bad = 0 ] && echo "what makes pictures reads frame states; kinds are asked for at home"
exit $bad
