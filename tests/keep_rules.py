"""Keep rules of every kind, for tests of them over random histories."""

from hypothesis import strategies as st

from fasciculus.core.retention import KeepRule
from fasciculus.core.retention.rule import SPANS

COUNT = st.integers(0, 9)
RULES = st.builds(
    lambda newest, days, spans, least: KeepRule(
        newest, days, {k: v for k, v in spans.items() if v}, least
    ),
    COUNT,
    st.sampled_from([0, 1, 30]),
    st.fixed_dictionaries(dict.fromkeys(SPANS, COUNT)),
    st.integers(1, 4),
)
