#!/usr/bin/env bash
# Renders a POV-Ray scene through a camera that Zentil handed on (NAME_camera.csv: columns in docs/formats.md), as CG for
# one frame: straight, as large as the plate, with alpha.
#   from_camera.sh CAMERA.csv FRAME SCENE.inc WIDTHxHEIGHT OUT.exr
# The scene is in Zentil's world with its third axis turned round, as POV-Ray's is left-handed: (x, y, -z).
set -euo pipefail
[ $# = 5 ] || { sed -n 2,5p "$0" >&2; exit 2; }
camera=$1 frame=$2 scene=$3 size=$4 out=$5
width=${size%x*} height=${size#*x}
pov=$(mktemp --suffix=.pov)
trap 'rm -f "$pov"' EXIT
{
  echo "#version 3.7; global_settings { assumed_gamma 1 }"
  echo "#include \"$(readlink -f "$scene")\""
  awk -F, -v frame="$frame" -v w="$width" -v h="$height" '
    /^#/ { next }
    !named { for (i = 1; i <= NF; ++i) column[$i] = i; named = 1; next }
    function of(name) { return $(column[name]) }
    # A vector of the camera, by how much of its axes right, up and back it is.
    function vector(r, u, b) {
      return sprintf("<%.12g,%.12g,%.12g>", of("r00") * r + of("r01") * u + of("r02") * b,
                     of("r10") * r + of("r11") * u + of("r12") * b, -(of("r20") * r + of("r21") * u + of("r22") * b))
    }
    of("frame") == frame {
      across = of("back_width_mm") / of("focal_mm"); high = of("back_height_mm") / of("focal_mm")
      cx = column["centre_x_px"] ? of("centre_x_px") / w * across : 0
      cy = column["centre_y_px"] ? of("centre_y_px") / h * high : 0
      printf "camera { perspective location <%s,%s,%.12g>\n", of("x"), of("y"), -of("z")
      printf "  right %s up %s direction %s }\n", vector(across, 0, 0), vector(0, high, 0), vector(-cx, cy, -1)
      found = 1
    }
    END { if (!found) { print "there is no frame " frame > "/dev/stderr"; exit 1 } }' "$camera"
} >"$pov"
povray +W"$width" +H"$height" +UA +A0.01 +AM2 +R4 -D Output_File_Type=E File_Gamma=1.0 +O"$out" +I"$pov" 2>&1 |
  { grep -iE "error|cannot" >&2 || true; }
[ -s "$out" ] || { echo "$out was not rendered" >&2; exit 1; }
