"""Tuning: a setting's figures and reasons, the search, plans that are kept, and sending to the nodes."""

from __future__ import annotations

from dataclasses import replace

from fastapi import APIRouter, Response
from fastapi.responses import PlainTextResponse

from even_static.api.bodies import SettingsBody
from even_static.api.common import CallReply, Serviced, call_body, download, offered, settings_of, stands_of
from even_static.api.practice import setting, trainer
from even_static.api.service import Service
from even_static.api.tasks import Task
from even_static.api.tuning_bodies import (
    ApplyBody,
    DeviceReasonBody,
    KeepPlanBody,
    MeasureBody,
    RadioOptions,
    RadioReasonBody,
    TuneBody,
)
from even_static.core.errors import BadInput, NotFound
from even_static.core.explain.backhaul import Tree, tree
from even_static.core.explain.bottleneck import Bottleneck, holding_back
from even_static.core.explain.kept_plans import MOST_PLANS, ComparedPlan, compare_plans
from even_static.core.explain.neighbours import NeighboursView, neighbours_view
from even_static.core.explain.reasons import RadioReasons, ZigbeeReasons, radio_reasons, zigbee_reasons
from even_static.core.explain.ssids import SsidView, ssid_view
from even_static.core.explain.zigbee_help import ZigbeeHelp, zigbee_help
from even_static.core.house.basics import fresh_identifier
from even_static.core.house.job import Job
from even_static.core.house.masking import masked
from even_static.core.house.settings import KeptPlan, Settings, setting_block
from even_static.core.house.validate import validate_settings
from even_static.core.model.daily import Day, over_the_day
from even_static.core.model.evaluate import evaluate
from even_static.core.model.figures import Evaluation
from even_static.core.model.prepared_house import House
from even_static.core.propagation.moved_nodes import with_stands
from even_static.core.prove.before_after import Proof, prove
from even_static.core.prove.follow_up import AfterCare, after_care
from even_static.core.prove.promised import PredictedAndCame, predicted_and_came
from even_static.core.search.candidates import Held, Rules, offered_blocks
from even_static.formats.calendar_file import write_calendar
from even_static.now import now_text

router = APIRouter(prefix="/api")


@router.get("/calls/{call_id}/options")
def options(service: Serviced, call_id: int) -> list[RadioOptions]:
    """What each radio may be set to: lawful and offered."""
    job = service.get(call_id).job
    return [RadioOptions(r.id, [offered(b) for b in offered_blocks(job, r.id)]) for r in job.radios]


@router.post("/calls/{call_id}/evaluate")
def evaluate_settings(service: Serviced, call_id: int, body: SettingsBody) -> Evaluation:
    """The figures of a setting tried by hand."""
    call, settings = settings_of(service, call_id, body)
    if body.stands:
        return evaluate(service.house(call).changed(with_stands(call.job, stands_of(call.job, body.stands))), settings)
    return evaluate(service.house(call), settings)


@router.post("/calls/{call_id}/reasons/radio")
def reasons_of_radio(service: Serviced, call_id: int, body: RadioReasonBody) -> RadioReasons:
    """Why a radio has the headroom that it has."""
    call, settings = settings_of(service, call_id, body)
    if body.radio_id not in {r.id for r in call.job.radios}:
        raise NotFound("radio_id", "must name a radio of the call", body.radio_id, "")
    return radio_reasons(service.house(call), settings, body.radio_id)


@router.post("/calls/{call_id}/reasons/zigbee")
def reasons_of_zigbee(service: Serviced, call_id: int, body: DeviceReasonBody) -> list[ZigbeeReasons]:
    """Why a Zigbee device's reports arrive or do not."""
    call, settings = settings_of(service, call_id, body)
    if call.job.zigbee is None or body.device_id not in {d.id for d in call.job.zigbee.devices}:
        raise NotFound("device_id", "must name a Zigbee device of the call", body.device_id, "")
    return list(zigbee_reasons(service.house(call), settings, body.device_id))


def _tried(service: Service, call_id: int, body: SettingsBody) -> tuple[House, Settings]:
    """A call's house and the settings that a body tries on it; BadInput where there is no node to set."""
    call, settings = settings_of(service, call_id, body)
    if not call.job.nodes:
        raise BadInput("nodes", "must hold a node with a radio", "none", "add one under Kit")
    return service.house(call), settings


@router.post("/calls/{call_id}/ssid-plans")
def get_names(service: Serviced, call_id: int, body: SettingsBody) -> SsidView:
    """SSIDs and steering under a setting: the SSID plans, the level to steer from, who joins what, an evening."""
    return ssid_view(*_tried(service, call_id, body))


@router.post("/calls/{call_id}/zigbee-help")
def get_zigbee_help(service: Serviced, call_id: int, body: SettingsBody) -> ZigbeeHelp:
    """What would help the Zigbee mesh under a setting: a repeater, another place for the hub, another channel."""
    call, settings = settings_of(service, call_id, body)
    found = zigbee_help(service.house(call), settings)
    if found is None:
        raise BadInput("zigbee", "must be in the call", "no hub", "add the hub under Kit")
    return found


@router.post("/calls/{call_id}/neighbours")
def get_neighbours(service: Serviced, call_id: int, body: SettingsBody) -> NeighboursView:
    """What the house and its neighbours do to each other under a setting, and what to ask of one of them."""
    return neighbours_view(*_tried(service, call_id, body))


@router.post("/calls/{call_id}/holding")
def get_holding(service: Serviced, call_id: int, body: SettingsBody) -> Bottleneck:
    """What holds the house back under a setting: one sentence with its number."""
    return holding_back(*_tried(service, call_id, body))


@router.post("/calls/{call_id}/tree")
def get_tree(service: Serviced, call_id: int, body: SettingsBody) -> Tree:
    """How the nodes are fed under a setting, and what cables, other bands or fewer nodes would do."""
    return tree(*_tried(service, call_id, body))


@router.post("/calls/{call_id}/tune", status_code=202)
def tune(service: Serviced, call_id: int, body: TuneBody) -> Task:
    """Search for the best setting; radios that are pinned keep the block that ``settings`` gives them."""
    call = service.get(call_id)
    if not call.job.nodes:
        raise BadInput(
            "nodes", "must hold a node with a radio before anything can be tuned", "none", "add one under Kit"
        )
    settings = body.settings or call.job.settings
    validate_settings(call.job, settings)
    unknown = set(body.pinned) - {r.id for r in call.job.radios}
    if unknown:
        raise NotFound("pinned", "must name radios of the call", sorted(unknown), "")
    pinned = {r: setting_block(call.job.radio(r), settings.of(r)) for r in body.pinned}
    rules = Rules(
        channel_plan=body.channel_plan,
        avoid_dfs=body.avoid_dfs,
        power=body.power,
        switch_off=body.switch_off,
        links=body.links,
        steering=body.steering,
    )
    held = Held(
        settings=settings,
        radio_ids=frozenset(body.pinned),
        ssid_plan=body.hold_ssid_plan,
        links=body.hold_links,
        zigbee=body.hold_zigbee,
    )
    if body.pinned or body.hold_ssid_plan or body.hold_links or body.hold_zigbee:
        rules = replace(rules, held=held)
    if body.move_node_ids:
        if rules.held is not None:
            came = "settings held by hand"
            raise BadInput("move_node_ids", "must be empty while something is held by hand", came, "let go first")
        return service.tune_places(call_id, list(body.move_node_ids), rules, body.seconds)
    return service.tune(call_id, rules, body.seconds, pinned)


@router.post("/calls/{call_id}/apply", status_code=202)
def apply(service: Serviced, call_id: int, body: ApplyBody) -> Task:
    """Send settings to the nodes and the hub."""
    call = service.get(call_id)
    validate_settings(call.job, body.settings)
    return setting.apply(service, call_id, body.settings, body.reason)


@router.post("/calls/{call_id}/truth", status_code=202)
def show_truth(service: Serviced, call_id: int) -> Task:
    """Of a practice house: what its settings really do, the best that was possible, and what each thing costs."""
    return trainer.show_truth(service, call_id)


@router.post("/calls/{call_id}/hint", status_code=202)
def ask_for_a_hint(service: Serviced, call_id: int) -> Task:
    """Of a practice house: where something is to be gained, without saying how."""
    return trainer.hint(service, call_id)


@router.get("/calls/{call_id}/proof")
def proof(service: Serviced, call_id: int) -> Proof:
    """Before and after."""
    return prove(service.get(call_id).job)


@router.get("/calls/{call_id}/predicted")
def get_predicted(service: Serviced, call_id: int) -> PredictedAndCame:
    """What the plan promised against what was measured since."""
    return predicted_and_came(service.get(call_id).job)


@router.get("/calls/{call_id}/after-care")
def get_after_care(service: Serviced, call_id: int) -> AfterCare:
    """Whether it counts as solved, and when to ask again."""
    return after_care(service.get(call_id).job, now_text())


@router.get("/calls/{call_id}/follow-ups.ics", response_class=PlainTextResponse)
def export_follow_ups(service: Serviced, call_id: int) -> Response:
    """The dates of asking again as iCalendar."""
    call = service.get(call_id)
    text = write_calendar(masked(call.job), call.id, now_text())
    return download(text, "text/calendar", f"call-{call_id}-follow-ups.ics")


@router.post("/calls/{call_id}/day")
def try_day(service: Serviced, call_id: int, body: SettingsBody) -> Day:
    """The house under a setting, in every part of the day in which somebody listened."""
    house, settings = _tried(service, call_id, body)
    return over_the_day(house.job, settings)


@router.post("/calls/{call_id}/measure-next", status_code=202)
def get_measure_next(service: Serviced, call_id: int, body: MeasureBody) -> Task:
    """Find the single measurement that would most likely change a plan, against the others that were found."""
    call = service.get(call_id)
    for settings in (body.settings, *body.others):
        validate_settings(call.job, settings)
    return service.measure_next(call_id, body.settings, list(body.others))


@router.post("/calls/{call_id}/plans")
def keep_plan(service: Serviced, call_id: int, body: KeepPlanBody) -> CallReply:
    """Keep a plan under a name."""
    call, settings = settings_of(service, call_id, SettingsBody(body.settings))
    stands_of(call.job, body.stands)

    def keep(job: Job) -> Job:
        if len(job.plans) >= MOST_PLANS:
            raise BadInput(
                "plans", "must not be more than can be kept", len(job.plans) + 1, f"{MOST_PLANS}: remove one"
            )
        fresh = fresh_identifier(body.name, [p.id for p in job.plans])
        now = now_text()
        return replace(
            job,
            plans=(
                *job.plans,
                KeptPlan(id=fresh, name=body.name, kept_at=now, settings=settings, stands=tuple(body.stands)),
            ),
        )

    return call_body(service, service.amend(call_id, keep, f'kept the plan "{body.name}"'))


@router.get("/calls/{call_id}/plans")
def get_plans(service: Serviced, call_id: int) -> list[ComparedPlan]:
    """The present setting and every kept plan, side by side."""
    call = service.get(call_id)
    return compare_plans(service.house(call)) if call.job.nodes else []


@router.delete("/calls/{call_id}/plans/{plan_id}")
def drop_plan(service: Serviced, call_id: int, plan_id: str) -> CallReply:
    """Forget a kept plan; undo brings it back."""
    call = service.get(call_id)
    if all(p.id != plan_id for p in call.job.plans):
        raise NotFound("plan_id", "must name a kept plan", plan_id, ", ".join(p.id for p in call.job.plans[:12]))

    def drop(job: Job) -> Job:
        return replace(job, plans=tuple(p for p in job.plans if p.id != plan_id))

    return call_body(service, service.amend(call_id, drop, f'removed the plan "{plan_id}"'))
