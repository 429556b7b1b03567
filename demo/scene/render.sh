#!/usr/bin/env bash
# Renders the demo shot anew: about 45 minutes on two cores. What is already in demo/work is kept.
#   demo/scene/render.sh            (needs povray, python3-numpy, python3-opencv, python3-openimageio, and Zentil built)
set -eu
here=$(cd "$(dirname "$0")" && pwd)
work=${ZENTIL_DEMO_WORK:-$here/../work}
mkdir -p "$work" && cd "$work"
python=/usr/bin/python3
"$python" "$here/path.py" .
pov() { nice -n 19 povray +I"$here/boathouse.pov" +L. +L"$here" -D -A "$@" >pov.log 2>&1 || { cat pov.log; exit 1; }; }
bake() { [ -f "$1" ] || { pov +Otmp.png +FN16 File_Gamma=1.0 +W"$2" +H"$3" +A0.0 +AM1 +R3 Declare=Part="$4"; mv tmp.png "$1"; }; }
once() { local out=$1; shift; [ -f "$out" ] || { pov +Otmp.exr Output_File_Type=E "$@"; mv tmp.exr "$out"; }; }
bake wall.png 1518 726 6
bake slip.png 2900 1950 7
bake wall_fine.png 4554 2178 6
size="+W2720 +H1536"
for f in 1001 1036 1072; do
  once "mark.$f.exr" $size Declare=Frame=$f Declare=Part=1
  # The wall from a finer bake, at four pixels for one.
  set -- $("$python" "$here/reach.py" "$f" wall)
  once "wall.$f.exr" +W5440 +H3072 +SC$((2 * $1 - 1)) +EC$((2 * $2)) +SR$((2 * $3 - 1)) +ER$((2 * $4)) Declare=Frame="$f" Declare=Rig=0 Declare=Fine=1
done
once backdrop.exr +W2400 +H600 +A0.1 +AM1 +R3 Declare=Part=5
for f in $(seq 1001 1072); do
  once "rig.$f.exr" $size Declare=Frame=$f Declare=Rig=1
  # Without the rig only the part of the frame that rig and shadow can reach is different.
  set -- $("$python" "$here/reach.py" "$f" rig); once "bare.$f.exr" $size +SC"$1" +EC"$2" +SR"$3" +ER"$4" Declare=Frame=$f Declare=Rig=0
  set -- $("$python" "$here/reach.py" "$f" buoy)
  once "cg.$f.exr" $size +A0.0 +AM1 +R3 +SC"$1" +EC"$2" +SR"$3" +ER"$4" +UA Declare=Frame=$f Declare=Part=2
  once "cgshadow.$f.exr" $size +SC"$1" +EC"$2" +SR"$3" +ER"$4" Declare=Frame=$f Declare=Part=3
  [ -f "cgdepth.$f.png" ] || { pov +Otmp.png +FN16 File_Gamma=1.0 +W1360 +H768 Declare=Frame=$f Declare=Part=4; mv tmp.png "cgdepth.$f.png"; }
done
"$python" "$here/bend.py" . "$here/.."
"$python" "$here/make_shot.py" "$here/.." "$here/../../build/batch/zentil-batch"
