"""A lane: one at a time, the newest first, what was overtaken by many is let go."""

import asyncio
from concurrent.futures import ThreadPoolExecutor

from mistline.errors import Conflict
from mistline.work.lane import Lane


def run(step) -> list:
    with ThreadPoolExecutor(1) as pool:  # the browser tests leave an event loop running in this thread
        return pool.submit(lambda: asyncio.run(step())).result()


def test_the_newest_comes_first_and_the_oldest_gives_way() -> None:
    async def go() -> list:
        lane, done, gate = Lane(2), [], asyncio.Event()

        async def ask(number: int) -> None:
            try:
                async with lane.turn():
                    await gate.wait()
                    done.append(number)
            except Conflict:
                done.append(-number)

        asked = []
        for number in range(1, 6):
            asked.append(asyncio.create_task(ask(number)))
            await asyncio.sleep(0)
        gate.set()
        await asyncio.gather(*asked)
        return done

    assert run(go) == [-2, -3, 1, 5, 4]


def test_one_at_a_time_and_who_goes_away_holds_nobody_up() -> None:
    async def go() -> list:
        lane, at_once, most = Lane(9), 0, 0

        async def ask() -> None:
            nonlocal at_once, most
            async with lane.turn():
                at_once += 1
                most = max(most, at_once)
                try:
                    await asyncio.sleep(0.001)
                finally:
                    at_once -= 1

        tasks = [asyncio.create_task(ask()) for _ in range(8)]
        await asyncio.sleep(0)
        for gone in (tasks[0], tasks[3], tasks[7]):  # one that works, two that wait
            gone.cancel()
        ended = await asyncio.gather(*tasks, return_exceptions=True)
        async with asyncio.timeout(60):
            await ask()
        return [most, at_once, sum(isinstance(each, asyncio.CancelledError) for each in ended)]

    assert run(go) == [1, 0, 3]
