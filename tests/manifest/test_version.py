import itertools

from hypothesis import given
from hypothesis import strategies as st

from zesty_anchor.manifest.version import Version

FIELD = [
    "8u392",
    "1.8.0_392",
    "3.2.2p53",
    "3.2.2",
    "2.3.0-coral-11",
    "2.3.0",
    "3.0.0-rc.1",
    "3.0.0",
    "21",
    "21.0",
    "v4.2",
    "2026.03.1",
    "3.13.0a1",
    "3.13.0b2",
    "3.13.0rc1",
    "3.13.0",
    "1.0-SNAPSHOT",
    "1.0",
    "8u392-b08",
]
versions = st.one_of(
    st.sampled_from(FIELD),
    st.from_regex(
        r"v?[0-9]{1,3}(\.[0-9]{1,3}){0,3}([-_.+]?(rc|a|b|u|p|coral|dev)?[.-]?[0-9]{0,3})?", fullmatch=True
    ),
).map(Version)


def ordered(*texts: str) -> bool:
    parsed = [Version(t) for t in texts]
    return all(a < b for a, b in itertools.pairwise(parsed))


def test_the_order_that_the_field_means() -> None:
    assert ordered("3.0.0-dev", "3.0.0-alpha.1", "3.0.0-beta.2", "3.0.0-rc.1", "3.0.0-rc.2", "3.0.0", "3.0.1")
    assert ordered("3.13.0a1", "3.13.0b2", "3.13.0rc1", "3.13.0", "3.13.1")
    assert ordered("8u9", "8u101", "8u392", "11.0.4", "17")
    assert ordered("1.8.0", "1.8.0_9", "1.8.0_392", "1.9.0")
    assert ordered("3.2.2", "3.2.2p53", "3.2.3")
    assert ordered("2.3.0", "2.3.0-coral-11", "2.3.0-coral-17", "2.4.0")
    assert ordered("v4.2", "v4.10", "2026.03.1", "2026.11.1")


def test_only_a_version_before_a_release_is_a_prerelease() -> None:
    assert all(Version(t).is_prerelease for t in ("3.0.0-rc.1", "1.0-SNAPSHOT", "3.13.0a1", "22-ea"))
    assert not any(
        Version(t).is_prerelease for t in ("8u392-b08", "2.3.0-coral-11", "3.2.2p53", "21", "1.8.0_392")
    )


@given(versions, versions, versions)
def test_the_order_is_total_and_transitive(a: Version, b: Version, c: Version) -> None:
    assert (a < b) + (b < a) + (a == b) == 1
    if a <= b and b <= c:
        assert a <= c


@given(st.lists(versions, max_size=12), st.randoms())
def test_sorting_does_not_depend_on_where_things_stood(some: list[Version], chance: object) -> None:
    shuffled = list(some)
    chance.shuffle(shuffled)  # type: ignore[attr-defined]
    assert [v.text for v in sorted(some)] == [v.text for v in sorted(shuffled)]


def test_a_line_holds_its_versions() -> None:
    assert Version("4.2.1").begins_with(Version("4"))
    assert Version("4.2.1").begins_with(Version("4.2"))
    assert not Version("4.20.1").begins_with(Version("4.2"))
    assert Version("8u392").begins_with(Version("8"))
    assert Version("2.3.0-coral-11").begins_with(Version("2.3.0-coral"))
