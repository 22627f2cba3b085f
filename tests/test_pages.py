"""The page of measures is written by two commands, and neither takes away what the other wrote."""

from __future__ import annotations

from tools.pages import LONG_RUN, OTHERS_FILES, write_section, write_table


def test_each_part_is_replaced_by_itself(tmp_path):
    page = tmp_path / "page.md"
    write_section(LONG_RUN, "an hour", page)
    assert page.read_text() == f"{LONG_RUN}\n\nan hour\n"
    write_table("# Measures\n\none\n", page)
    assert page.read_text() == f"# Measures\n\none\n\n{LONG_RUN}\n\nan hour\n"
    write_table("# Measures\n\ntwo\n", page)
    write_section(LONG_RUN, "another hour\n", page)
    assert page.read_text() == f"# Measures\n\ntwo\n\n{LONG_RUN}\n\nanother hour\n"


def test_sections_stay_beside_one_another(tmp_path):
    page = tmp_path / "page.md"
    write_section(OTHERS_FILES, "all well", page)
    write_section(LONG_RUN, "an hour", page)
    write_table("# Measures", page)
    write_section(OTHERS_FILES, "still well", page)
    assert page.read_text() == f"# Measures\n\n{LONG_RUN}\n\nan hour\n\n{OTHERS_FILES}\n\nstill well\n"
