#!/usr/bin/env bash
# Words that a person reads (labels, messages, help) are plain, modern English of the trade: these do not come back.
set -euo pipefail
cd "$(dirname "$(readlink -f "$0")")/.."
words='told|lies? (on|in|before|behind|beyond|beside|off|flat|along|to)|tells|laid|lays|lets|goes|hand(s|ed|ing)? on|by way of|stands? (before|in|on|upright|plumb|from|there|square)|standing|stood|plumb'
words+='|mend(s|ed|ing)?|give back|take back|taken back|lifted|lifts?|gather(s|ed)?|swept|anew|hardly|give or take|rides?|riding'
words+='|has to go|have to go|in the way|hangs? on|likewise|nought|beneath|evened|steadying|nothing tells|cannot be told'
bad=0
# String literals with a space in them; regular expressions and test data are elsewhere.
while IFS= read -r line; do
  echo "$line"; bad=1
done < <(
  { git ls-files 'app/*.cpp' 'app/*.h' 'core/*.cpp' 'core/*.h' 'batch/*.cpp' | xargs grep -nE '"' | grep -vE '^[^:]*:[0-9]+: *//' |
      sed -E 's,//[^"]*$,,' | grep -oE '^[^:]*:[0-9]+:|"([^"\\]|\\.)*"' |
      awk '/^[^"]*:[0-9]+:$/ {at = $0; next} / / {print at " " $0}'
    git ls-files 'core/*.h' | xargs grep -noE 'label\("[^"]*"'
    git ls-files 'app/resources/help/*.md' | xargs grep -n ''; } | grep -iP "^[^:]*:\d+:.*\b($words)\b")
[ $bad = 0 ] && echo "the words on the screen are plain"
exit $bad
