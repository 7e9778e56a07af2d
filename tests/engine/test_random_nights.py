"""A sample of the campaign of random nights."""

from campaigns.randomnights import judged, night, right
from vigil.documents.plan import contradictions


def test_a_random_night_is_the_same_twice_and_safe() -> None:
    found = judged(5)
    assert right(found), found
    assert found["frames"] > 5


def test_the_plans_are_such_that_the_rigs_can_do() -> None:
    whole = [night(n) for n in range(40)]
    assert len({made.rig.id for made in whole}) == 3 and any(made.scenario.faults for made in whole)
    assert sum(made.rig.roof is not None for made in whole) >= 20
    for made in whole:
        wrong = [said for said in contradictions(made.plan, made.rig) if "rises to" not in said]
        assert wrong == [], wrong
