"""How much is done together, and from how much on another way is taken: every such number, in one place.

Small and large are answered alike, but for the limits at the end, beyond which less is looked at, which is said then.
What only the large meet is tested on the small: the variable KATHODOS_THRESHOLDS makes all of these as small as they
can be ("smallest"), or has whatever may be shared out to processes done so ("processes"). What is shown of a long
answer, what findings mean, how much is accepted at most, and the forms of files are no thresholds and stand elsewhere.
"""

from __future__ import annotations

import os

SET = os.environ.get("KATHODOS_THRESHOLDS", "")
SMALLEST, PROCESSES = "smallest", "processes"


def _usually(usual: int, smallest: int) -> int:
    return smallest if SET == SMALLEST else usual


def _for_processes(usual: int) -> int:
    return 0 if SET == PROCESSES else usual


# Processes and threads.
VERIFIED_APART = _for_processes(500_000)  # rows from which on the ledger is verified in processes
PACKED_APART = _for_processes(20_000)  # lines from which on packets are made in processes
RULES_APART = _usually(50_000, 0)  # people from which on rules are worked on by several threads

# Columns.
CSR_ITEMS = _usually(4_000_000, 1)  # items that are put together at once
HASHED_BYTES = _usually(1 << 20, 16)  # bytes of texts that are hashed together
FEW_LOOKED_UP = _usually(100, 0)  # texts up to which they are looked up one by one
FEW_MATCHED = _usually(200, 0)  # texts up to which they are compared one by one
MANY_ORDERED = _usually(1 << 15, 1)  # values from which on they are looked up in order: memory is read end to end then
FEW_WITHOUT_ARROW = _usually(50_000, 0)  # rows below which importing a faster library takes longer than it saves
FEW_RENAMED = _usually(1_000_000, 0)  # numbers likewise

# The store, and what is computed beside it.
BLOCK = _usually(1 << 16, 50)  # rows that are read together
SQLITE_READ = _usually(1 << 10, 7)  # rows that stay in the processor's cache while they are taken apart
SQLITE_WRITTEN = _usually(20_000, 3)  # rows that are taken apart together to be written
FEW_READ = _usually(2000, 0)  # values, or numbers, up to which importing Arrow takes longer than it saves
POSTGRES_WRITTEN = _usually(1 << 14, 3)  # rows that are put together at once
POSTGRES_CLOSED = _usually(10_000, 2)  # rows that are closed by one statement
POSTGRES_FITTING = _usually(4096, 3)  # rows that always fit into one answer
ENTRIES_AT_FIRST, ENTRIES_AT_MOST = _usually(16, 1), _usually(4096, 2)  # asked for by who may soon have read enough
MARKED_TOGETHER = _usually(20_000, 3)  # rows whose marks are made, or looked at, together
PART = _usually(1 << 16, 64)  # bytes of a computed array that are checked together; no number lies in two parts
CHECKED_WHOLE = _usually(1 << 16, 0)  # bytes of a computed file up to which all of it is checked when it is opened
FEW_BEHIND = _usually(500, 0)  # rows that what is computed may lie behind, which are put to it by whoever asks
ENTRIES_BEHIND = _usually(200, 1)  # entries likewise
ROWS_BEHIND, PERCENT_BEHIND = _usually(20_000, 0), _usually(10, 0)  # in a file behind, up to which the other one stays
EDITS_OF_INDEX = _usually(50_000, 0)  # rows beyond which compiling the index anew is no slower
FEW_HELD = _usually(8, 0)  # values up to which a column is compared with each of them
FEW_PICKED = _usually(1000, 0)  # records up to which what they hold is looked up one by one
RECORDS_TOGETHER = _usually(20_000, 2)  # records that are read, or made, together

# The engine.
SWEPT = _usually(200_000, 1)  # intervals that are swept together for redundant grants
SWEPT_WIDE = _usually(1 << 16, 1)  # grants likewise
FEW_ASKERS = _usually(5000, 2)  # askers up to which what each of them reaches is looked at, and not who reaches it
FEW_CLASSES = _usually(4, 0)  # classes of askers that hold a grant up to which all are looked at straight away
TIMES_AS_MANY = _usually(8, 0)  # scoped entries there are, as many as are looked at, for these to be taken alone
ONE_IN_SCOPED = _usually(20, 1)  # one in so many scoped entries that are granted, up to which these are few
SORTED_TOGETHER = _usually(100_000, 50)  # intervals that are sorted together over everyone
STREAMED = _usually(4_000_000, 50)  # pairs that are given out together
SKETCHED = _usually(16, 1)  # words of bits of each set of which it is seen whether it meets another
SCOPE_BLOCK = _usually(256, 2)  # intervals of scopes of which the furthest end is known

# Analysis and findings.
USED_TOGETHER = _usually(20_000_000, 64)  # cells and groups that give them that are held at once
COMPARED_TOGETHER = _usually(1_000_000, 10)  # intervals or pairs that are compared together
GROUPS_LISTED = _usually(20_000_000, 0)  # pairs of group and group above up to which they are listed
PEERS_TOGETHER = _usually(
    10_000, 20
)  # people, times what each is asked for, and names of peer groups looked at at once
NAMES_OF_PEER = 20  # what is asked of each of them at most, about
SETS_TOGETHER = _usually(4000, 2)  # sets of names that are counted at once
PEOPLE_TOGETHER = _usually(1500, 2)  # people who are held against names at once
FEW_PAIRS = _usually(50_000, 0)  # pairs up to which it is not looked up which others are like them
FEW_PERMITTING = _usually(1000, 3)  # things that permit the same, up to which it is seen by them who has it
HELD_TOGETHER = _usually(4_000_000, 10)  # things held that are counted together
FEW_TEXTS_OF_USE = _usually(10_000, 0)  # texts that are looked up one by one sooner than all of a column together
MANY_USERS = _usually(20_000, 0)  # from which on all uses are looked up
ROWS_COMPARED = _usually(50_000, 0)  # rows that differ, beyond which everybody is looked at
CURED_TOGETHER = _usually(150, 1)  # people whose programs are solved together
HOLDERS_TRIED = _usually(4, 0)  # holders of whom somebody is asked, before everybody is
ADMINISTRATORS_TRIED = _usually(20, 0)  # holders of each of whom one is asked first whether a system is administered
COVERED_TOGETHER = _usually(400, 3)  # candidates for roles that are held against all rows at once

# Reviews, people, files and answers.
LINES_TOGETHER = _usually(10_000, 2)  # lines of a review that are put together at once
LINES_PACKED = _usually(50_000, 1)  # lines that are read at once for packets
TEXTS_KEPT = _usually(100_000, 1)  # texts of packets whose form is kept
FEW_NAMES = _usually(500, 0)  # names of people that are looked for one by one, for lines
FEW_INVITED = _usually(50, 0)  # likewise, for who is invited
FEW_CANDIDATES = _usually(20_000, 0)  # people up to which each account is compared with everybody
ROWS_OF_FILE = _usually(20_000, 2)  # rows of a file that are read together
ROWS_OF_PARQUET = _usually(1 << 17, 2)
ROWS_OF_SHEET = _usually(5000, 2)
CHARACTERS_OF_CSV = _usually(1 << 22, 16)
PAIRS_IN_GROUP = _usually(6_000_000, 10)  # pairs in a group of rows of Parquet: each has its own dictionaries

# Limits beyond which less is looked at, unless it is asked for.
PEOPLE_REHEARSED = _usually(50_000, 0)  # identities and accounts up to which a rehearsal looks at excess and risk
PEOPLE_REVIEWED = _usually(50_000, 0)  # likewise, a review
CELLS_REHEARSED = _usually(200, 0)  # cells of a grid up to which each is rehearsed by itself
DECISIONS_MEASURED = _usually(1_000_000, 0)  # decisions up to which a status looks at how they were made
PAIRS_TOLD = _usually(200_000, 0)  # pairs gained and lost up to which each is told
REQUESTS_NAMED = _usually(100, 0)  # requests beyond which an entry names only the numbers, as ranges
