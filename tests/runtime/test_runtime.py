"""The virtual loop, the clocks, the workshop of worker processes."""

import asyncio
import os
import signal
import subprocess
import sys
import textwrap
import time
from datetime import UTC, datetime, timedelta
from pathlib import Path

import numpy as np
import pytest

from vigil.runtime.clock import RealClock, ScenarioClock
from vigil.runtime.folders import folders_of, from_home
from vigil.runtime.simulated import SimulatedLoop, run_virtual, simulated_loop
from vigil.runtime.workshop import WorkerDied, Workshop

START = datetime(2027, 1, 12, 17, tzinfo=UTC)


def test_ten_hours_pass_in_order_and_at_once() -> None:
    async def main() -> list[tuple[str, datetime]]:
        clock, seen = ScenarioClock(START), []

        async def every(name: str, seconds: float) -> None:
            while clock.utcnow() < START + timedelta(hours=10):
                await clock.sleep(seconds)
                seen.append((name, clock.utcnow()))

        async with asyncio.TaskGroup() as group:
            group.create_task(every("hour", 3600))
            group.create_task(every("quarter", 900))
        return seen

    seen = run_virtual(main())
    assert [at for _, at in seen] == sorted(at for _, at in seen)
    assert sum(name == "hour" for name, _ in seen) == 10
    assert seen[-1][1] == START + timedelta(hours=10)


def test_the_clock_stands_still_while_a_job_is_under_way() -> None:
    async def main() -> tuple[int, float]:
        loop, ticks = asyncio.get_running_loop(), 0

        async def tick() -> None:
            nonlocal ticks
            while True:
                await asyncio.sleep(1)
                ticks += 1

        ticker = asyncio.ensure_future(tick())
        await asyncio.sleep(2.5)
        before = loop.time()
        await loop.run_in_executor(None, time.sleep, 0.1)
        ticker.cancel()
        return ticks, loop.time() - before

    assert run_virtual(main()) == (2, 0.0)


def test_scaled_time_stands_still_for_jobs_and_keeps_its_pace() -> None:
    async def main() -> None:
        loop = simulated_loop()

        def job() -> tuple[float, float]:
            before = loop.time()
            time.sleep(0.05)
            return before, loop.time()

        started = loop.time()
        await asyncio.sleep(20)
        assert loop.time() - started >= 20
        before, after = await loop.run_in_executor(None, job)
        assert before == after
        assert loop.speed == 1000
        with pytest.raises(ValueError, match="above 0"):
            loop.speed = 0

    with asyncio.Runner(loop_factory=lambda: SimulatedLoop(1000)) as runner:
        runner.run(main())


def test_skipping_jumps_to_the_next_event_only() -> None:
    async def main() -> list[float]:
        loop, seen = simulated_loop(), []
        loop.skip()
        await asyncio.sleep(3600)  # an hour of simulated time, at a speed of 1
        loop.event_happened()
        seen.append(loop.time())
        assert not loop.jumps
        await asyncio.sleep(0.01)
        seen.append(loop.time())
        return seen

    with asyncio.Runner(loop_factory=lambda: SimulatedLoop(1.0)) as runner:
        first, second = runner.run(main())
    assert first == pytest.approx(3600, abs=1) and second > first


def test_time_outs_work_on_virtual_time() -> None:
    async def main() -> float:
        loop = asyncio.get_running_loop()
        with pytest.raises(TimeoutError):
            async with asyncio.timeout(30):
                await asyncio.sleep(3600)
        return loop.time()

    assert run_virtual(main()) == pytest.approx(30)


def test_a_thread_can_wake_an_idle_virtual_loop() -> None:
    async def main() -> str:
        loop, future = asyncio.get_running_loop(), asyncio.get_running_loop().create_future()
        thread = asyncio.to_thread(lambda: loop.call_soon_threadsafe(future.set_result, "woken"))
        await thread
        return await future

    assert run_virtual(main()) == "woken"


def test_the_real_clock_is_aware() -> None:
    assert RealClock().utcnow().tzinfo is UTC


def double(image: np.ndarray, add: int) -> np.ndarray:
    return image * 2 + add


def worker_pid() -> int:
    return os.getpid()


def die() -> None:
    os._exit(3)


def refuse() -> None:
    raise ValueError("not today")


@pytest.mark.parametrize("processes", [0, 1])
def test_arrays_go_out_and_come_back(processes: int) -> None:
    async def main() -> None:
        workshop = Workshop(processes)
        try:
            for size in (10, 1500):  # small ones are pickled, large ones shared
                image = np.arange(size * size, dtype=np.uint16).reshape(size, size)
                assert np.array_equal(await workshop.run(double, image, 3), image * 2 + 3)
            assert (await workshop.run(worker_pid) == os.getpid()) == (processes == 0)
            with pytest.raises(ValueError, match="not today"):
                await workshop.run(refuse)
        finally:
            workshop.close()

    # other processes' semaphores come and go there meanwhile
    before = set(Path("/dev/shm").glob("psm_*"))
    asyncio.run(main())
    assert set(Path("/dev/shm").glob("psm_*")) - before == set(), "shared memory was left behind"


def test_a_worker_that_dies_is_replaced() -> None:
    async def main() -> None:
        workshop = Workshop(1)
        try:
            with pytest.raises(WorkerDied, match="died twice at die"):
                await workshop.run(die)
            assert await workshop.run(worker_pid) != os.getpid()
        finally:
            workshop.close()

    asyncio.run(main())


def test_workers_give_way_unless_they_are_urgent() -> None:
    async def main() -> None:
        own, nice = os.nice(0), []
        for urgent in (False, True):
            workshop = Workshop(1, urgent=urgent)
            nice.append(await workshop.run(os.nice, 0) - own)
            workshop.close(wait=not urgent)
        assert nice[0] > 0 and nice[1] == 0

    asyncio.run(main())


def test_workers_end_with_a_killed_parent(tmp_path: Path) -> None:
    script = textwrap.dedent(
        """
        import asyncio, time
        from tests.runtime.test_runtime import worker_pid
        from vigil.runtime.workshop import Workshop

        async def main():
            print(await Workshop(1).run(worker_pid), flush=True)
            await asyncio.sleep(60)

        if __name__ == "__main__":
            asyncio.run(main())
        """
    )
    path = tmp_path / "parent.py"
    path.write_text(script)
    root = Path(__file__).parents[2]
    environment = {**os.environ, "PYTHONPATH": f"{root}:{root / 'src'}"}
    parent = subprocess.Popen([sys.executable, str(path)], stdout=subprocess.PIPE, env=environment)
    assert parent.stdout is not None
    worker = int(parent.stdout.readline())
    parent.send_signal(signal.SIGKILL)
    parent.wait()
    gone = os.pidfd_open(worker) if Path(f"/proc/{worker}").exists() else None
    if gone is not None:
        import select

        assert select.select([gone], [], [], 30)[0], "the worker lives on"
        os.close(gone)


def test_folders_follow_the_environment(own_folders: Path) -> None:
    folders = folders_of("a-rig")
    assert folders.ledger == own_folders / "d" / "vigil" / "ledger.sqlite"
    assert folders.socket.parent.stat().st_mode & 0o777 == 0o700


def test_a_socket_path_that_is_too_long_is_said(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    for name in ("XDG_DATA_HOME", "XDG_STATE_HOME"):
        monkeypatch.setenv(name, str(tmp_path))
    monkeypatch.setenv("XDG_RUNTIME_DIR", str(tmp_path / ("long" * 25)))
    with pytest.raises(ValueError, match="XDG_RUNTIME_DIR"):
        folders_of("a-rig")


def test_a_path_is_written_from_the_home_folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("HOME", str(tmp_path / "me"))
    assert from_home(tmp_path / "me" / "frames" / "darks") == "~/frames/darks"
    assert from_home(tmp_path / "elsewhere") == str(tmp_path / "elsewhere")
