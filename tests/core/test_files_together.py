"""Which of the files that were dropped together are art, and which belong to another."""

from hypothesis import given
from hypothesis import strategies as st

from etiquette.core.artwork.files_together import belonging


def sets_of(names: list[str], numbered: tuple[str, ...] = ()) -> list[list[str]]:
    return [[names[place] for place in one.files] for one in belonging(names, numbered)]


def test_white_and_clear_go_with_the_colour_of_their_name_whatever_lies_between() -> None:
    names = ["jar-clear.pdf", "lid.png", "Jar_colour.pdf", "jar white.tif", "tin-white.png"]
    assert sets_of(names) == [["lid.png"], ["Jar_colour.pdf", "jar-clear.pdf", "jar white.tif"], ["tin-white.png"]]
    assert sets_of(["jar-white.pdf", "jar.pdf", "jar_white.tif"]) == [["jar.pdf", "jar-white.pdf"], ["jar_white.tif"]]
    (first,) = belonging(["jar.pdf", "jar-white.pdf"])
    assert (first.art, first.plates) == (0, {"white": 1})


def test_files_of_one_name_in_two_folders_are_two_pieces_of_art() -> None:
    names = ["tins/logo.pdf", "tins/logo-white.pdf", "jars.v2/logo.pdf", "logo-clear.pdf"]
    assert sets_of(names) == [["tins/logo.pdf", "tins/logo-white.pdf"], ["jars.v2/logo.pdf"], ["logo-clear.pdf"]]


def test_numbers_pair_only_in_a_shop_that_says_so() -> None:
    assert sets_of(["jar 1.pdf", "jar 2.pdf"]) == [["jar 1.pdf"], ["jar 2.pdf"]]
    assert sets_of(["jar 2.pdf", "jar 1.pdf"], ("colour", "white")) == [["jar 1.pdf", "jar 2.pdf"]]


WORDS = st.sampled_from(["jar", "tin", "white", "clear", "colour", "2", "", "lack"])
NAMES = st.builds(
    lambda folder, words, end: folder + "-".join(words) + end,
    st.sampled_from(["", "a/", "a/b.c/"]),
    st.lists(WORDS, min_size=1, max_size=3),
    st.sampled_from([".pdf", "", ".tar.gz"]),
)


@given(st.lists(NAMES, max_size=12))
def test_every_file_is_taken_in_and_no_plate_without_its_folder(names: list[str]) -> None:
    found = belonging(names)
    arts = [one.art for one in found]
    assert len(arts) == len(set(arts))
    assert {place for one in found for place in one.files} == set(range(len(names)))
    for one in found:
        for place in one.plates.values():
            assert names[place].rpartition("/")[0] == names[one.art].rpartition("/")[0]
