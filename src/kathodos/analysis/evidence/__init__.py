"""What is said about access beside reach: what a unit contains, adds and names; used, needed, usual; since when.

A *unit* is what can be taken from somebody by itself: a grant, or a listed membership, of the person or of one of their
accounts. Whatever says anything about units asks here, so that a word means the same wherever it stands.
"""
