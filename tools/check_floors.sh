#!/usr/bin/env bash
# A file includes only from its own room and from rooms on lower floors (docs/architecture.md).
set -euo pipefail
cd "$(dirname "$(readlink -f "$0")")/.."
declare -A floor=([core/base]=1 [core/value]=2 [core/image]=3 [core/camera]=3 [core/lens]=4 [core/track]=4 [core/view]=5 [core/map]=6 [core/solve]=6 [core/sphere]=7 [core/set]=7 [core/matte]=7 [core/element]=8 [core/shot]=9 [core/retouch]=9 [core/evaluate]=11 [core/comp]=12 [core/measure]=13 [core/output]=13 [core/exchange]=13 [core/steady]=10 [core/estimate]=14 [core/edit]=15 [core/wording]=16 [batch]=17 [app/document]=17 [app/widgets]=18 [app/tasks]=18 [app/picture]=19 [app/strip]=19 [app/stations]=20 [app/window]=21)
bad=0
while IFS=: read -r file _ include; do
  from=$(dirname "$file"); to=$(dirname "$(sed 's/.*"\(.*\)".*/\1/' <<<"$include")")
  [ "$from" = "$to" ] && continue
  a=${floor[$from]:-}; b=${floor[$to]:-}
  if [ -z "$b" ] || [ -z "$a" ]; then echo "$file includes from $to, which has no floor"; bad=1
  elif [ "$b" -ge "$a" ]; then echo "$file (floor $a) includes from $to (floor $b)"; bad=1; fi
done < <(git ls-files 'core/*.cpp' 'core/*.h' 'batch/*.cpp' 'app/*/*.cpp' 'app/*/*.h' | xargs grep -nE '^#include "(core|app|batch)/')
if git ls-files 'core/*' | xargs grep -nE '#include <Q' ; then echo "core/ includes Qt"; bad=1; fi
[ $bad = 0 ] && echo "every include goes down"
exit $bad
