"""Tasks: look, follow as a stream that resumes, cancel."""

import asyncio
import json
from collections.abc import AsyncIterator
from functools import partial
from typing import Annotated

from fastapi import APIRouter, Header, Request
from fastapi.concurrency import run_in_threadpool
from pydantic import BaseModel
from sse_starlette import EventSourceResponse, ServerSentEvent

from etiquette.people.rights import Right
from etiquette.server.all_tasks import FOUND
from etiquette.server.dependencies import ShopHere, Still, needs, within
from etiquette.server.hearing import LOOK_SECONDS, Hearing, Told
from etiquette.store.states import ENDED, TaskState
from etiquette.tasks import following
from etiquette.tasks.task import TASKS

router = APIRouter(prefix="/api/tasks", tags=["tasks"], dependencies=[needs(Right.PREPARE)])


class TaskShown(BaseModel):
    id: int
    name: str
    state: TaskState
    result: FOUND | None  # type: ignore[valid-type]
    problem: dict[str, str] | None


@router.get("/events", responses={200: {"model": Told}})
async def follow_all(
    request: Request, shop: ShopHere, last_event_id: Annotated[int | None, Header(ge=0)] = None
) -> EventSourceResponse:
    """What happens to every task from now on, or from the one after Last-Event-ID on: one stream for all pages of a
    browser. Events are `Told`."""
    hearing: Hearing = request.app.state.hearing
    begin = await run_in_threadpool(hearing.begin)
    missed = [] if last_event_id is None else await run_in_threadpool(hearing.read, last_event_id)

    async def events() -> AsyncIterator[ServerSentEvent]:
        place, found = begin, missed
        still = Still(request)
        while await still():
            for number, told in found:
                yield ServerSentEvent(id=str(number), event="told", data=told.model_dump_json())
            heard = hearing.after(place)
            if heard is None:
                return  # more than is held: a browser comes again by itself, and says what it heard last
            place, found = heard
            if not found:
                await asyncio.sleep(LOOK_SECONDS)

    return EventSourceResponse(events())


@router.get("/{task_id}")
def show_task(shop: ShopHere, task_id: int) -> TaskShown:
    task = within(shop, lambda session: following.task_there(session, task_id))
    result = TASKS[task.name].result.model_validate(task.result) if task.result else None
    return TaskShown(id=task.id, name=task.name, state=task.state, result=result, problem=task.problem)


@router.get("/{task_id}/events")
async def follow(
    request: Request, shop: ShopHere, task_id: int, last_event_id: Annotated[int, Header()] = 0
) -> EventSourceResponse:
    """Numbered events from the one after Last-Event-ID on; the last one is `end` with the task itself."""
    await run_in_threadpool(show_task, shop, task_id)

    async def events() -> AsyncIterator[ServerSentEvent]:
        seen = last_event_id
        still = Still(request)
        while await still():
            # the state first: an event written between the two looks is then still told
            task = await run_in_threadpool(show_task, shop, task_id)
            for event in await run_in_threadpool(
                within, shop, partial(following.events_after, task_id=task_id, number=seen)
            ):
                seen = event.id
                yield ServerSentEvent(
                    id=str(event.id),
                    event="progress",
                    data=json.dumps({"share": event.share, "words": event.words, "data": event.data}),
                )
            if task.state in ENDED:
                yield ServerSentEvent(id=str(seen), event="end", data=task.model_dump_json())
                return
            await asyncio.sleep(LOOK_SECONDS)

    return EventSourceResponse(events())


@router.delete("/{task_id}")
def cancel(shop: ShopHere, task_id: int) -> TaskShown:
    within(shop, lambda session: following.cancel(session, task_id))
    return show_task(shop, task_id)
