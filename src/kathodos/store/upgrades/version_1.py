"""The tables of the first version: what the stores hold that were made before versions were counted.

A line for each kind of record, with its columns in the order in which rows were checked and signed; `#` marks numbers.
This is as it was, and is never altered.
"""

RECORDS = """
systems: system title owner combining inherit# gates
identities: id name kind status email department title manager location employment starts ends sponsor attributes
accounts: system login identity status last_login privileged# responsible attributes
groups: system group title owner filter
members: system group member
roles: system role title owner active#
role_juniors: system role junior
actions: system action kind implies
role_permissions: system role action resource effect
resources: resource type title owner sensitivity# detached# tags refers attributes
areas: area resources except filter
grants: grant holder gives on effect tier# from until given_by given_at reason last_used
mandates: holder roles area for may
activity: time account identity action resource record task count#
problems: file line# column value reason remedy outcome
claims: kind record said_by said
returned: kind record said_by ended_by# ended_at why back_at
ties: account identity how tied_by tied_at reason said responsible
baselines: baseline entry# marked_at reason
reviews: review selects opened_at opened_by due state signed_at signed_by reviewers declared about undecided only
review_things: review thing# gives brings contains within having# counted# recorded sensitivity#
review_lines: review line# identity reviewer holder grant group part value thing# peers_having# peers_counted#
  needed_by conflicts spoken# fences status ends former last_used uses# until given_by given_at given_for signed_in
  risk# excess redundant# certified_at certified_by speaks stands_out
decisions: review line# decision decided_by decided_at reason signed# capacity reduced opened#
review_remarks: review line# remark# sort said_by said_at text whom
controls: control title owner does period until added_at
confirmations: control confirmed_at confirmed_by note
covers: rule identity control until reason covered_by covered_at ended_by ended_at
settings: file digest text
changes: change state origin author made_at reason applied_by applied_at effect despite
change_edits: change edit# kind record before after why author
orders: order# change system source_named kind record before after state ordered_by ordered_at due changed_by
  changed_at note
merges: identity into email record merged_by merged_at reason
role_parts: whole part took combined_at
kits: kit title owner for domains approve lasts longest says hours# told looked_at_by
kit_entries: kit gives on to
requests: request# state kit entries whom holder asked_by asked_at reason says until on less step# lapses renews#
  emergency# change closed_at closed_by why told_of_end
request_steps: request# step# approver as takes due decision decided_by decided_at capacity reason less
request_items: request# item# kind record holder gives on brought#
request_remarks: request# remark# sort said_by said_at text
"""
# `*` marks the key, `@` bytes; every value has to be there.
LEDGER = """
ledger: number#* time actor origin kind subjects reason payload rows settings proof leaf@
ledger_tree: level#* position#* hash@
ledger_heads: size#* time root@ signature@
"""
