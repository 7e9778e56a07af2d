"""`vigil errand`: what a rig's keeper has in hand."""

import argparse
import asyncio
import json
import sys
from collections.abc import Iterable
from datetime import datetime
from typing import Any
from zoneinfo import ZoneInfo

from vigil.cli import BAD_INPUT, NO_KEEPER, NOT_ALL, OK, BadInput
from vigil.cli.files import EXAMPLE_RIGS, load_document, own_folders, rig_path
from vigil.cli.ledgers import ledger_of
from vigil.documents.errands import Outcome
from vigil.documents.events import Event, Kind
from vigil.documents.guiding import GUIDING
from vigil.documents.messages import Answer, Command, ErrandReport, Samples
from vigil.documents.rig import Rig
from vigil.ledger.store import LedgerStore
from vigil.link.attach import command
from vigil.link.endpoint import KeeperGone
from vigil.link.socket import SocketLink
from vigil.runtime.folders import Folders


def run(args: argparse.Namespace) -> int:
    """0 done, 2 refused (with the reason), 3 followed and it was not done, 4 no keeper."""
    rig = load_document(Rig, rig_path(args.rig or EXAMPLE_RIGS[0]))
    if args.answer and args.action != "answer":
        raise BadInput(f"{args.action}: {args.answer!r} is one word too many")
    if args.px is not None and args.action != "dither":
        raise BadInput("--px goes with dither")
    if args.past and args.action != "list":
        raise BadInput("--past goes with list")
    if args.stream and args.action != "follow":
        raise BadInput("--stream goes with follow")
    if args.past:
        return _list_past(rig, args.json)
    try:
        return asyncio.run(_run(args, rig, own_folders(rig)))
    except KeeperGone:
        print(f"vigil: no keeper runs for {rig.name}: nothing is under way", file=sys.stderr)
        return NO_KEEPER


async def _run(args: argparse.Namespace, rig: Rig, folders: Folders) -> int:
    async with SocketLink(folders.socket_in_use) as link:
        if args.action == "list":
            return _list((await link.status()).errands, rig, args.json)
        if args.action == "follow":
            return await _follow(link, args)
        asked: dict[str, Any] = {"errand": args.word}
        if args.action == "answer":
            # one word alone is the answer where only one errand asks
            asking = [e for e in (await link.status()).errands if e.questions]
            alone = args.word and not args.answer and len(asking) == 1 and not _meant(asking, args.word)
            asked = {"answer": args.word} if alone else {**asked, "answer": args.answer}
            return _said(await command(link, Command.ANSWER, **asked), args.json)
        if args.action == "dither":
            px = {} if args.px is None else {"px": args.px}
            guiding = {"errand": args.word or GUIDING, "what": "dither", **px}
            return _said(await command(link, Command.TELL_ERRAND, **guiding), args.json)
        return _said(await command(link, Command.STOP_ERRAND, **asked), args.json)


def _meant(errands: Iterable[ErrandReport], word: str) -> bool:
    small = word.casefold()
    return any(e.id.casefold().endswith(small) or small in (e.kind, e.words.casefold()) for e in errands)


def _said(answer: Answer, as_json: bool) -> int:
    if as_json:
        print(answer.model_dump_json())
    else:
        words = answer.reason if answer.taken else f"vigil: {answer.reason}"
        print(words, file=sys.stdout if answer.taken else sys.stderr)
    return OK if answer.taken else BAD_INPUT


def _list(errands: list[ErrandReport], rig: Rig, as_json: bool) -> int:
    if as_json:
        print(json.dumps([e.model_dump(mode="json") for e in errands], ensure_ascii=False))
        return OK
    if not errands:
        print("nothing is under way")
    for errand in errands:
        since = f" since {_clock(errand.began, rig)}" if errand.began else ""
        print(f"{errand.id}  {errand.kind}: {errand.words}{since}")
        if errand.because:
            print(f"    {errand.because}")
        for question in errand.questions:
            until = f"; at {_clock(question.until, rig)}: {question.otherwise}" if question.until else ""
            print(f"    asks: {question.words} [{', '.join(question.answers)}]{until}")
    return OK


def _list_past(rig: Rig, as_json: bool) -> int:
    path = ledger_of(rig.id)
    rows = []
    if path.exists():
        store = LedgerStore(path)
        try:
            rows = store.errands(rig.id)
        finally:
            store.close()
    for row in rows:
        if as_json:
            told = {"id": row.errand, "kind": row.kind, "words": row.words, "began": row.began_at}
            print(json.dumps({**told, "over": row.over_at, "outcome": row.outcome}, ensure_ascii=False))
        else:
            began = _clock(datetime.fromisoformat(row.began_at), rig, dated=True)
            print(f"{began}  {row.errand}  {row.kind}: {row.words}: {row.outcome or 'under way'}")
    if not rows and not as_json:
        print(f"nothing is on record of {rig.name}")
    return OK


def _clock(moment: datetime | None, rig: Rig, dated: bool = False) -> str:
    if moment is None:
        return ""
    return moment.astimezone(ZoneInfo(rig.site.time_zone)).strftime("%Y-%m-%d %H:%M" if dated else "%H:%M:%S")


async def _follow(link: SocketLink, args: argparse.Namespace) -> int:
    """Until it is over. 0 when it was done."""
    errands = (await link.status()).errands
    found = [e for e in errands if e.id == args.word] or [
        e for e in errands if not args.word or _meant([e], args.word)
    ]
    if len(found) != 1:
        there = "; ".join(f"{e.id} ({e.words})" for e in (found or errands))
        raise BadInput(f"say which errand to follow: {there}" if there else "nothing is under way")
    wanted = found[0].id
    async for news in link.news(streams=(args.stream,) if args.stream else ()):
        if isinstance(news, Samples) and news.errand == wanted:
            for row in news.rows:
                print(row.model_dump_json() if args.json else f"{row.at:%H:%M:%S} {_numbers(row.values)}")
        if not isinstance(news, Event) or news.errand != wanted:
            continue
        print(news.model_dump_json() if args.json else f"{news.at:%H:%M:%S} {_words(news)}", flush=True)
        if news.kind is Kind.NIGHT_OVER:
            return OK
        if news.kind is Kind.ERRAND_ENDED:
            return OK if news.values["outcome"] == Outcome.DONE.value else NOT_ALL
    raise KeeperGone("the keeper has left before it was over")


def _words(event: Event) -> str:
    return event.reason or event.kind.value.replace("_", " ")


def _numbers(values: dict[str, Any]) -> str:
    return ", ".join(f"{name} {value}" for name, value in values.items())
