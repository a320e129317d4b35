#!/usr/bin/env bash
# Makes the pictures in docs/screenshots anew, from the demo's made-up data. Needs what terminal_shot.py needs.
set -euo pipefail
here=$(cd "$(dirname "$0")/.." && pwd)
scratch=$(mktemp -d)
trap 'rm -rf "$scratch"' EXIT
export KATHODOS_NOW=2026-06-15T10:00:00Z PATH="$here/.venv/bin:$PATH" KATHODOS_ACTOR=r.lund
cd "$scratch"
kathodos demo tarnholm > /dev/null 2>&1
cd tarnholm
kathodos review open officer --where 'title eq "Permit officer"' --by-manager --due 2026-07-15 --yes > /dev/null
kathodos review decide 1-3 certify --review officer --as p0089 > /dev/null
shot() { "$here/tools/terminal_shot.py" "$here/docs/screenshots/$1.png" "$2" --columns "${3:-127}"; }
shot sources "kathodos --workspace connected sources list; kathodos sources propose tables/staff_export.csv"
shot tie "kathodos --workspace connected tie; kathodos --workspace connected tie --open; kathodos tie --duplicates"
shot gather-problems "kathodos gather --problems"
shot reach-by "kathodos reach --by p0063"
shot reach-trace "kathodos reach --by p0067 --on dues:/northmole/waivers/2026 --do approve --trace; \
kathodos reach --by p0067 --on dues:/northmole/tariffs/2026 --do edit --trace"
shot reach-on "kathodos reach --on dues:/northmole/ledger; kathodos reach --on workshop:/controllers/crane-4 --do configure"
shot reach-potential "kathodos reach --by p0007 --potential --on dues:/northmole/payments --do view; \
kathodos reach --by p0007 --potential"
shot what-if "cat what-if.toml; kathodos conflicts --as-of before-review; \
kathodos conflicts --as-of before-review --assume what-if.toml"
shot conflicts "kathodos conflicts --as-of before-review"
shot conflicts-by "kathodos conflicts --by p0063 --as-of before-review"
shot review-lines "kathodos review lines officer --whose p0096"
shot review-status "kathodos review status"
shot baseline-compare "kathodos baseline compare before-review"
shot ledger-list "kathodos ledger list"
shot show "kathodos show p0063"
shot list "kathodos list identities --where 'department eq \"Pilotage\" and title ne \"Pilot\"'"
kathodos gather > /dev/null 2>&1
shot returned "kathodos returned; kathodos activity --by p0063 --since 2026-06-01"
sed -i 's/Dues clerk/Dues officer/; /^p0240,/d' tables/staff_export.csv
shot gather-dry-run "kathodos gather --dry-run"
python - <<'SQL'
import sqlite3

with sqlite3.connect("catalogue.db") as connection:
    connection.execute("UPDATE grants SET holder = 'identity:p0110' WHERE \"grant\" = 'G-0018'")
    connection.execute("DELETE FROM ledger WHERE number = 4")
SQL
shot ledger-verify "kathodos ledger verify"
