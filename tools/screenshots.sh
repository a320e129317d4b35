#!/usr/bin/env bash
# Makes the pictures in docs/screenshots anew, from the demo's made-up data. Needs what terminal_shot.py needs, and Chromium.
set -euo pipefail
here=$(cd "$(dirname "$0")/.." && pwd)
scratch=$(mktemp -d)
trap 'rm -rf "$scratch"' EXIT
export KATHODOS_NOW=2026-07-07T09:00:00Z PATH="$here/.venv/bin:$PATH" KATHODOS_ACTOR=r.lund PYTHONPATH="$here/tools/office"
cd "$scratch"
kathodos demo tarnholm > /dev/null 2>&1
cd tarnholm
kathodos review open officer --where 'title eq "Permit officer"' --by-manager --due 2026-07-15 --yes > /dev/null
kathodos review decide 1-3 certify --review officer --as p0089 > /dev/null
below() { # puts a picture below one that was made, without its empty rim
    local first="$here/docs/screenshots/$1.png"
    convert "$first" \( "$2" -shave 2x2 -gravity East -chop 6x0 -gravity NorthWest -trim -bordercolor white -border 12 \) -append -strip "$first"
}
shot() { "$here/tools/terminal_shot.py" "$here/docs/screenshots/$1.png" "$2" --columns "${3:-127}"; }
shot sources "kathodos --workspace connected sources list; kathodos sources propose tables/staff_export.csv"
shot tie "kathodos --workspace connected tie; kathodos tie --duplicates; kathodos returned"
below sources "$here/docs/screenshots/tie.png"
rm "$here/docs/screenshots/tie.png"
shot gather-problems "kathodos gather --problems"
shot reach-by "kathodos reach --by p0063"
shot reach-trace "kathodos reach --by p0067 --on dues:/northmole/waivers/2026 --do approve --trace; \
kathodos reach --by p0067 --on dues:/northmole/tariffs/2026 --do edit --trace"
shot reach-on "kathodos reach --on dues:/northmole/ledger; kathodos reach --on workshop:/controllers/crane-4 --do configure"
shot escalation "kathodos reach --by p0007 --potential --on dues:/northmole/payments --do view; \
kathodos escalation --as-of before-review" 168
shot conflicts "kathodos conflicts --as-of before-review; kathodos conflicts --by p0063 --as-of before-review"
shot conflicts-cure "kathodos conflicts --rule PERMIT-1; kathodos conflicts cure --as-of before-review; \
kathodos conflicts covers"
shot rules "kathodos rules list --topic 'Dangerous goods'; kathodos rules show PERMIT-1; kathodos rules try drafts/quay.toml"
shot check "kathodos check"
below check "$here/docs/screenshots/rules.png"
rm "$here/docs/screenshots/rules.png"
shot excess "kathodos excess --as-of before-review"
shot risk "kathodos risk top --most 12 --as-of before-review; kathodos risk show p0162"
chart() { kathodos chart "$1" --out "$1.png" --as-of before-review > /dev/null; }
for kind in access conflicts risk excess; do chart "$kind"; done
montage access.png conflicts.png risk.png excess.png -tile 2x2 -geometry +0+0 -strip "$here/docs/screenshots/charts.png"
kathodos change give role:dues/auditor role:permits/viewer --to p0063 p0064 p0091 --until 2026-09-30 --into summer > /dev/null
kathodos change leave directory/waiver-desk-northmole --who p0063 --into summer > /dev/null
kathodos change take role:permits/inspector --from p0096 --into summer > /dev/null
kathodos chart change summer --out change.png > /dev/null
shot change "kathodos change rehearse summer"
below change change.png
kathodos change apply summer --yes --reason 'summer staff' > /dev/null
shot orders "kathodos orders list; kathodos mandates list --by p0190; kathodos mandates try p0190; \
kathodos people list --status invited"
kathodos enact --by worklist --out lists --yes > /dev/null
chromium --headless --no-sandbox --disable-gpu --no-first-run --disable-background-networking \
    --disable-component-update --disable-sync --user-data-dir="$scratch/browser" --window-size=1280,800 \
    --screenshot=worklist.png "file://$PWD/lists/p0059.html" 2> /dev/null
below orders worklist.png
kathodos --workspace shaping chart roles --out roles.png > /dev/null
kathodos --workspace shaping change undo change-6 --yes > /dev/null
kathodos --workspace shaping chart suggest --out suggest.png > /dev/null
shot roles "COLUMNS=120 kathodos --workspace shaping role distil berths/morning --task morning --into morning | head -n 8; \
kathodos --workspace shaping role suggest"
below roles roles.png
below roles suggest.png
shot review-lines "kathodos review lines officer --whose p0096"
shot walk "echo q | kathodos review walk officer --as p0089"
shot status "kathodos review status; kathodos review status annual-2025 --measures"
for part in walk status; do
    below review-lines "$here/docs/screenshots/$part.png"
    rm "$here/docs/screenshots/$part.png"
done
"$here/tools/page_shot.py" "$here/docs/screenshots/packet.png" packets/quarter/p0059.html --packet
"$here/tools/page_shot.py" report.png reports/quarter/report.html
kathodos chart review quarter --out review.png > /dev/null
below packet report.png
below packet review.png
shot ledger-list "kathodos baseline compare before-review --format csv | head -4; kathodos ledger list --subject identity:p0063" 150
shot show "kathodos find leif engen; kathodos show p0063"
below sources "$here/docs/screenshots/show.png"
rm "$here/docs/screenshots/show.png"
asking() { KATHODOS_NOW=2026-07-28T09:00:00Z kathodos --workspace asking "$@" > /dev/null; }
asking request ask quay-summer --until 2026-09-15 --say shift=early --reason 'two colleagues are ill' --yes --as p0121
asking request ask role:dues/manager --until 2026-09-15 --reason 'to see how it is done' --yes --as p0112
shot requests "export KATHODOS_NOW=2026-07-28T09:00:00Z; kathodos --workspace asking request show 7; \
kathodos --workspace asking request status"
asking request packets --out to-decide --approver p0107
"$here/tools/page_shot.py" requests.png to-decide/p0107.html 2026-07-29T09:00:00Z
below requests requests.png
python - <<'SQL'
import sqlite3

with sqlite3.connect("catalogue.db") as connection:
    connection.execute("UPDATE grants SET holder = 'identity:p0110' WHERE \"grant\" = 'G-0018'")
    connection.execute("DELETE FROM ledger WHERE number = 10")
SQL
shot ledger-verify "kathodos ledger verify"
below ledger-list "$here/docs/screenshots/ledger-verify.png"
rm "$here/docs/screenshots/ledger-verify.png"
