"""The rules, one file each."""

from __future__ import annotations

from jamkey.shelf import Shelf

_NAMES = tuple(
    """
    names_never_defined names_before_value library_members argument_counts missing_self loop_returns_early
    remembering_default shared_attribute compared_not_set is_with_literal call_without_brackets kept_in_place_result
    dropped_result condition_never_changes range_off_by_one whole_number_ratio joined_not_added hidden_builtin
    file_named_like_library hidden_global unreachable text_against_number missing_files missing_columns hidden_error
    text_sorted fraction_equality grows_while_looping rows_matched_by_label members_nearly arguments_nearly
    modules_nearly keys_nearly
""".split()
)

#: Name -> rule.
SHELF = Shelf({name.replace("_", "-"): f"jamkey.checks.rules.{name}:RULE" for name in _NAMES}, group="jamkey.rules")
