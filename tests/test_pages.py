"""The page of measures is written by two commands, and neither takes away what the other wrote."""

from __future__ import annotations

from tools.pages import LONG_RUN, write_long_run, write_table


def test_each_part_is_replaced_by_itself(tmp_path):
    page = tmp_path / "page.md"
    write_long_run("an hour", page)
    assert page.read_text() == f"{LONG_RUN}\n\nan hour\n"
    write_table("# Measures\n\none\n", page)
    assert page.read_text() == f"# Measures\n\none\n\n{LONG_RUN}\n\nan hour\n"
    write_table("# Measures\n\ntwo\n", page)
    write_long_run("another hour\n", page)
    assert page.read_text() == f"# Measures\n\ntwo\n\n{LONG_RUN}\n\nanother hour\n"
