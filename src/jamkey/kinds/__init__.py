"""ROOTS -> MEANING + KEYS: one file per universal kind, written once for all languages."""

from __future__ import annotations

from jamkey.shelf import Shelf

#: Kind -> its file; loaded when first asked for.
SHELF = Shelf(
    {
        "unknown-name": "jamkey.kinds.unknown_name:KIND",
        "unset-name": "jamkey.kinds.unset_name:KIND",
        "missing-value": "jamkey.kinds.missing_value:KIND",
        "no-such-member": "jamkey.kinds.no_such_member:KIND",
        "no-such-key": "jamkey.kinds.no_such_key:KIND",
        "index-out-of-range": "jamkey.kinds.index_out_of_range:KIND",
        "bad-index": "jamkey.kinds.bad_index:KIND",
        "wrong-type": "jamkey.kinds.wrong_type:KIND",
        "not-callable": "jamkey.kinds.not_callable:KIND",
        "fixed-value": "jamkey.kinds.fixed_value:KIND",
        "unreadable-value": "jamkey.kinds.unreadable_value:KIND",
        "wrong-arguments": "jamkey.kinds.wrong_arguments:KIND",
        "wrong-count": "jamkey.kinds.wrong_count:KIND",
        "bad-arithmetic": "jamkey.kinds.bad_arithmetic:KIND",
        "file-access": "jamkey.kinds.file_access:KIND",
        "no-such-module": "jamkey.kinds.no_such_module:KIND",
        "broken-syntax": "jamkey.kinds.broken_syntax:KIND",
        "endless": "jamkey.kinds.endless:KIND",
        "shape-mismatch": "jamkey.kinds.shape_mismatch:KIND",
        "wrong-order": "jamkey.kinds.wrong_order:KIND",
        "too-deep": "jamkey.kinds.too_deep:KIND",
        "interrupted": "jamkey.kinds.interrupted:KIND",
        "out-of-resource": "jamkey.kinds.out_of_resource:KIND",
        "memory-misuse": "jamkey.kinds.memory_misuse:KIND",
        "raised-on-purpose": "jamkey.kinds.raised_on_purpose:KIND",
        "stale-wiring": "jamkey.kinds.stale_wiring:KIND",
        "child-failed": "jamkey.kinds.child_failed:KIND",
        "early-return": "jamkey.kinds.early_return:KIND",
        "unrepeatable": "jamkey.kinds.unrepeatable:KIND",
        "shared-default": "jamkey.kinds.shared_default:KIND",
        "joined-not-added": "jamkey.kinds.joined_not_added:KIND",
        "spreading-missing-value": "jamkey.kinds.spreading_missing_value:KIND",
        "lost-last-item": "jamkey.kinds.lost_last_item:KIND",
        "truncated-division": "jamkey.kinds.truncated_division:KIND",
        "unused-result": "jamkey.kinds.unused_result:KIND",
        "hidden-name": "jamkey.kinds.hidden_name:KIND",
    },
    group="jamkey.kinds",
)
