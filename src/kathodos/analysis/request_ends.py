"""When requests end, which findings tell and the ending of requests goes by."""

from __future__ import annotations

import json

import numpy as np

from kathodos.columns.csr import Ints
from kathodos.columns.dictionary import DictionaryColumn
from kathodos.columns.moments import moments_of
from kathodos.model.times import NEVER, end_moment


def ends_of(until: DictionaryColumn, less: DictionaryColumn) -> Ints:
    """The moment at which each request ends: until when it was asked for, or an earlier end that it was granted for."""
    asked: Ints = np.append(moments_of(until.values, is_end=True), NEVER)[until.codes]
    earlier = [json.loads(str(it)).get("until") for it in less.values]
    granted = np.array([*(end_moment(it) if it else NEVER for it in earlier), NEVER], dtype=np.int64)
    return np.minimum(asked, granted[less.codes])
