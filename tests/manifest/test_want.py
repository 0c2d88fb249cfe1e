from dataclasses import dataclass

import pytest

from zesty_anchor.manifest.want import Want, nearest


@dataclass(frozen=True)
class Offer:
    version: str
    channels: tuple[str, ...] = ()


OFFERS = [
    Offer("5.1.0-rc.1"),
    Offer("5.0.0"),
    Offer("4.10.0"),
    Offer("4.2.1", ("lts",)),
    Offer("4.2.0", ("lts",)),
    Offer("3.6.2"),
    Offer("3.6.2p1"),
]


@pytest.mark.parametrize(
    ("want", "version"),
    [
        ("latest", "5.0.0"),
        ("lts", "4.2.1"),
        ("4", "4.10.0"),
        ("4.2", "4.2.1"),
        ("4.2.0", "4.2.0"),
        (">=4 <4.5", "4.2.1"),
        (">=4,<5,!=4.10.0", "4.2.1"),
        ("3.6.2", "3.6.2"),
        ("3.6", "3.6.2p1"),
        ("5.1", None),
        (">5", None),
        ("<=5", "5.0.0"),
        ("5.1.0-rc", "5.1.0-rc.1"),
        (">=5.1.0-rc.0", "5.1.0-rc.1"),
        ("9", None),
        (">6", None),
    ],
)
def test_what_a_want_takes(want: str, version: str | None) -> None:
    chosen = Want(want).choose(OFFERS)
    assert (chosen.version if chosen else None) == version


@pytest.mark.parametrize(
    ("wrong", "instead"),
    [
        ("kelp@4", '"4"'),
        ("kelp-4.2.1", '"4.2.1"'),
        ("LTS", '"lts"'),
        ("long-term", '"lts"'),
        ("stable", '"latest"'),
        ("^4.2", ">=4.2 <5"),
        ("", "empty"),
        (">=", "range"),
        (">=4 nonsense", "range"),
        ("lts/iron", '"lts"'),
    ],
)
def test_a_wrong_spelling_is_told_the_right_one(wrong: str, instead: str) -> None:
    with pytest.raises(ValueError, match=r"valid version|want is empty|range") as caught:
        Want(wrong)
    assert instead in str(caught.value)


def test_the_nearest_versions_come_first() -> None:
    versions = [o.version for o in OFFERS]
    assert nearest("4.2.7", versions)[0] == "4.2.1"
    assert nearest("9", versions)[0] in ("5.0.0", "5.1.0-rc.1")


class Offer:
    def __init__(self, version: str, *channels: str) -> None:
        self.version, self.channels = version, channels


@pytest.mark.parametrize("want", ["lts", "latest", "4", ">=4 <6"])
def test_a_pre_release_is_never_taken_unless_it_is_named(want: str) -> None:
    """Whatever channel its feed puts it in."""
    offered = [Offer("4.1.0", "lts"), Offer("4.2.0-rc.1", "lts", "latest"), Offer("5.0.0-beta", "lts")]
    chosen = Want(want).choose(offered)
    assert chosen is not None and chosen.version == "4.1.0"
    assert Want(want).choose(offered[1:]) is None


@pytest.mark.parametrize("want", ["4.2.0-rc.1", "4.2.0-rc", ">=4.2.0-rc.0 <5"])
def test_one_that_is_named_is(want: str) -> None:
    chosen = Want(want).choose([Offer("4.1.0", "lts"), Offer("4.2.0-rc.1")])
    assert chosen is not None and chosen.version == "4.2.0-rc.1"
