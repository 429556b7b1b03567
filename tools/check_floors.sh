#!/usr/bin/env bash
# A file includes only from its own room and from rooms on lower floors (docs/architecture.md).
set -euo pipefail
cd "$(dirname "$(readlink -f "$0")")/.."
declare -A floor=([core/base]=1 [core/image]=2 [core/camera]=2 [core/lens]=3 [core/map]=3 [core/track]=3 [core/solve]=4 [core/set]=4 [core/matte]=4 [core/element]=5 [core/shot]=6 [core/build]=7 [core/measure]=8 [batch]=9 [app]=9)
bad=0
while IFS=: read -r file _ include; do
  from=$(dirname "$file"); to=$(dirname "$(sed 's/.*"\(.*\)".*/\1/' <<<"$include")")
  [ "$from" = "$to" ] && continue
  a=${floor[$from]:-}; b=${floor[$to]:-}
  if [ -z "$b" ] || [ -z "$a" ]; then echo "$file includes from $to, which has no floor"; bad=1
  # The map room looks at the lens next door: both are on floor 3, and only that way round.
  elif [ "$b" -ge "$a" ] && [ "$from>$to" != "core/map>core/lens" ]; then echo "$file (floor $a) includes from $to (floor $b)"; bad=1; fi
done < <(git ls-files 'core/*.cpp' 'core/*.h' 'batch/*.cpp' 'app/*.cpp' 'app/*.h' | xargs grep -nE '^#include "(core|app|batch)/')
if git ls-files 'core/*' | xargs grep -nE '#include <Q' ; then echo "core/ includes Qt"; bad=1; fi
[ $bad = 0 ] && echo "every include goes down"
exit $bad
