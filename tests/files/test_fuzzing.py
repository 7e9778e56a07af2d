"""A sample of the campaign that feeds every reader with spoilt input."""

from campaigns.fuzzing import READERS, case, fuzzed


def test_nothing_comes_of_spoilt_input_but_clear_errors_and_good_reads() -> None:
    found = fuzzed(2027, most_s=120.0, most_cases=350)
    assert found["faults"] == [] and sum(found["cases"].values()) > 200
    assert len(found["cases"]) == len(READERS)


def test_a_case_follows_from_its_numbers() -> None:
    assert all(case(7, n)[1] == case(7, n)[1] for n in range(20))
