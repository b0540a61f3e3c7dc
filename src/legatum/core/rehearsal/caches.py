"""The kinds of cache that a plan has to be right for. How each treats a delegation is in docs/timing.md."""

from enum import StrEnum


class CacheKind(StrEnum):
    """What a resolver does with the two NS sets it can learn for one zone: the parent's referral and the child's
    own."""

    PARENT_TRUSTING = "parent-trusting"
    CHILD_TRUSTING = "child-trusting"
    STICKY = "sticky"
