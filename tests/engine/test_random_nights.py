"""A sample of the campaign of random nights."""

from campaigns.randomnights import judged, night, right
from vigil.documents.plan import contradictions


def test_a_random_night_is_the_same_twice_and_safe() -> None:
    found = judged(5)
    assert right(found), found
    assert found["frames"] > 5


def test_the_plans_are_such_that_the_rigs_can_do() -> None:
    whole = [night(n) for n in range(40)]
    assert len({rig.id for rig, _, _ in whole}) == 3 and any(s.faults for _, _, s in whole)
    for rig, plan, _ in whole:
        wrong = [said for said in contradictions(plan, rig) if "rises to" not in said]
        assert wrong == [], wrong
