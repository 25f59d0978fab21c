"""Who may do what where: every address × role × method. An address without a row here fails."""

import pytest
from django.contrib.auth.models import User
from django.db import transaction
from django.test import Client

from apextrim.events.models import Event
from apextrim.sheets.models import Sheet
from tests.amounts import THOROUGH
from tests.apextrim.test_access import MOVED, PATTERNS
from tests.apextrim.test_access import addresses as addresses

METHODS = ("GET", "POST", "PUT", "PATCH", "DELETE")
#: What an address belongs to: everybody (signed in or not), whoever is signed in, or the owner of the row that it names.
EVERYBODY, SIGNED_IN, OWNER = "everybody", "signed in", "owner"
G, P, GP = ("GET",), ("POST",), ("GET", "POST")

TABLE: dict[str, tuple[str, tuple[str, ...]]] = {
    "account": (SIGNED_IN, G),
    "invitations": (OWNER, GP), "end_invitation": (OWNER, P), "choose_inviters": (OWNER, P), "join": (EVERYBODY, GP),
    "leave": (SIGNED_IN, GP), "stay": (SIGNED_IN, P), "my_data": (SIGNED_IN, P),
    "made_files": (SIGNED_IN, G), "made_file": (OWNER, G),
    "empty_bin": (SIGNED_IN, GP), "for_good": (OWNER, GP),
    "add_run": (OWNER, P),
    "apply_calibration": (OWNER, P),
    "brief": (OWNER, G),
    "bring_in_event": (SIGNED_IN, P),
    "next_event": (OWNER, GP),
    "bin": (SIGNED_IN, G),
    "change_session": (OWNER, P),
    "delete": (OWNER, GP),
    "restore": (OWNER, P),
    "find": (SIGNED_IN, G),
    "glossary": (SIGNED_IN, G),
    "go_on_tour": (SIGNED_IN, P),
    "drivers_places": (OWNER, GP),
    "units": (SIGNED_IN, GP),
    "copy_sample": (SIGNED_IN, P),
    "quick_car": (SIGNED_IN, GP),
    "carry_sheet": (OWNER, G),
    "change_password": (SIGNED_IN, (*GP, "PUT")),
    "check_sheet": (OWNER, GP),
    "close_runs": (OWNER, P),
    "copy_car": (OWNER, GP),
    "edit_car": (OWNER, GP),
    "edit_circuit": (OWNER, GP),
    "end_session": (SIGNED_IN, P),
    "enter_demo": (EVERYBODY, ()),
    "event_rows": (OWNER, G),
    "events": (SIGNED_IN, GP),
    "export_all_laps": (OWNER, G),
    "export_car": (OWNER, G),
    "export_circuit": (OWNER, G),
    "export_laps": (OWNER, G),
    "export_sheet": (OWNER, G),
    "find_line": (OWNER, P),
    "first_sheet": (OWNER, P),
    "fork_sheet": (OWNER, P),
    "garage": (SIGNED_IN, G),
    "health": (EVERYBODY, G),
    "hold_model": (OWNER, P),
    "going_on": (SIGNED_IN, G),
    "home": (EVERYBODY, G),
    "import_car": (SIGNED_IN, P),
    "import_circuit": (SIGNED_IN, P),
    "import_laps": (OWNER, P),
    "import_sheet": (OWNER, P),
    "item_rules": (OWNER, GP),
    "job": (OWNER, G),
    "job_part": (OWNER, G),
    "jobs": (SIGNED_IN, G),
    "jobs_now": (SIGNED_IN, G),
    "keep_plan": (OWNER, P),
    "keep_test": (OWNER, P),
    "keep_verdict": (OWNER, P),
    "kept_plan": (OWNER, G),
    "kept_verdict": (OWNER, G),
    "lap_bench": (OWNER, G),
    "leave_out_pairs": (OWNER, P),
    "begin_race": (OWNER, G),
    "start_race": (OWNER, P),
    "live_race": (OWNER, G),
    "live_race_part": (OWNER, G),
    "mark_race": (OWNER, P),
    "undo_mark": (OWNER, P),
    "correct_mark": (OWNER, P),
    "race_entries": (OWNER, G),
    "end_race": (OWNER, P),
    "race_after": (OWNER, G),
    "keep_race_runs": (OWNER, P),
    "race_odds": (OWNER, G),
    "save_field": (OWNER, P),
    "race_spend": (OWNER, G),
    "race_wet": (OWNER, GP),
    "race_turns": (OWNER, G),
    "odds_turns": (OWNER, G),
    "live": (OWNER, G),
    "live_part": (OWNER, G),
    "logger": (EVERYBODY, P),
    "timing": (EVERYBODY, P),
    "race_rivals": (OWNER, G),
    "race_rivals_part": (OWNER, G),
    "connect_timing": (OWNER, P),
    "make_key": (OWNER, P),
    "mark_lap": (OWNER, P),
    "match_laps": (OWNER, P),
    "new_circuit": (SIGNED_IN, GP),
    "new_circuit_growing": (SIGNED_IN, P),
    "quick_circuit": (SIGNED_IN, GP),
    "circuit_drawn": (SIGNED_IN, P),
    "circuit_growing": (OWNER, P),
    "planned_test": (OWNER, G),
    "put_in_car": (OWNER, P),
    "qualifying": (OWNER, G),
    "race_bench": (OWNER, G),
    "reverse_circuit": (OWNER, P),
    "run": (OWNER, G),
    "runs_bench": (OWNER, G),
    "save_conditions": (OWNER, P),
    "save_notes": (OWNER, P),
    "save_now": (OWNER, P),
    "save_rules": (OWNER, P),
    "save_session": (OWNER, P),
    "save_sheet": (OWNER, P),
    "refine_effects": (OWNER, P),
    "ask_line": (OWNER, P),
    "ask_all_lines": (OWNER, P),
    "carry_book": (OWNER, GP),
    "corner": (OWNER, G),
    "corner_card": (OWNER, G),
    "draw_line": (OWNER, G),
    "export_book": (OWNER, G),
    "import_book": (OWNER, P),
    "keep_choice": (OWNER, P),
    "keep_saving": (OWNER, P),
    "lap_book": (OWNER, G),
    "lap_energy": (OWNER, G),
    "lap_summary": (OWNER, G),
    "save_book": (OWNER, P),
    "trainer": (OWNER, G),
    "trainer_back": (OWNER, P), "trainer_anew": (OWNER, P),
    "trainer_drive": (OWNER, P),
    "trainer_felt": (OWNER, P),
    "trainer_read": (OWNER, P),
    "undo_book": (OWNER, P),
    "lap_card": (OWNER, G),
    "lap_costs": (OWNER, G),
    "class_limits": (OWNER, GP),
    "class_search": (OWNER, GP),
    "search": (OWNER, G),
    "search_part": (OWNER, G),
    "search_sheet": (OWNER, GP),
    "sheet_advice": (OWNER, G),
    "sheet_answer": (OWNER, P),
    "sheet_bench": (OWNER, G),
    "sheet_card": (OWNER, G),
    "sheet_difference": (OWNER, G),
    "sheet_effect": (OWNER, P),
    "sheet_effects": (OWNER, G),
    "sheet_effects_file": (OWNER, G),
    "sheet_figures": (OWNER, G),
    "sheet_readings": (OWNER, GP),
    "sheet_steps": (OWNER, P),
    "sheet_stint": (OWNER, G),
    "sign_in": (EVERYBODY, (*GP, "PUT")),
    "sign_out": (EVERYBODY, P),
    "simulate_logger": (OWNER, P),
    "stop_job": (OWNER, P),
    "stop_search": (OWNER, P),
    "take_back_calibration": (OWNER, P),
    "take_out_event": (OWNER, GP),
    "test_plan": (OWNER, G),
    "thread": (OWNER, G),
    "track_record": (OWNER, G),
    "type_laps": (OWNER, P), "run_weather": (OWNER, P),
    "undo_car": (OWNER, P),
    "undo_circuit": (OWNER, P),
    "verdicts_bench": (OWNER, G),
    "virtual_run": (OWNER, P),
    "traces": (OWNER, G),
    "verdict_corners": (OWNER, G),
    "break_even": (OWNER, G),
    "live_gap": (OWNER, G),
    "live_gap_part": (OWNER, G),
    "survey_file": (SIGNED_IN, GP),
    "survey_run": (OWNER, GP),
    "run_car": (OWNER, G),
    "fit_circuit": (OWNER, P),
    "correct_circuit": (OWNER, P),
    "traces_data": (OWNER, G),
    "run_corners": (OWNER, G),
    "choose_recording": (OWNER, GP),
    "match_recording": (OWNER, GP),
    "forget_recording": (OWNER, P),
    "export_run_traces": (OWNER, G),
    "export_lap_trace": (OWNER, G),
    "visits": (OWNER, G),
    "withdraw_key": (OWNER, P),
}  # fmt: skip


def done(client: Client, method: str, address: str, sheet: int = 0) -> int:
    """The status of a request whose work is undone again.

    :param sheet: what the field `sheet` of a form says
    """
    with transaction.atomic():
        status = client.generic(method, address, f"sheet={sheet}", content_type="application/x-www-form-urlencoded").status_code
        transaction.set_rollback(True)
    return status


def test_every_address_has_a_row_and_every_row_an_address() -> None:
    assert {name for name, _ in PATTERNS} - MOVED == set(TABLE)


@pytest.mark.thorough
def test_every_method_is_answered_as_the_table_says(addresses: dict[str, str], event: Event, first: Sheet, stranger: Client) -> None:
    """What the owner may do is done in `make thorough`; that nobody else may, and what the owner may not, always."""
    wrong = []
    owner, nobody = Client(raise_request_exception=False), Client(raise_request_exception=False)
    for name, (whose, methods) in TABLE.items():
        for method in METHODS:
            for client, user in ((owner, event.owner), (stranger, User.objects.get(username="stranger"))):
                if "sessionid" not in client.cookies or not client.cookies["sessionid"].value:  # at first, and after signing out
                    client.force_login(user)
            nobody.cookies.clear()
            expected = method in methods
            told = {
                who: done(client, method, addresses[name], first.pk)
                for who, client in (("owner", owner), ("stranger", stranger), ("nobody", nobody))
                if who != "owner" or THOROUGH or whose != OWNER or not expected
            }
            asked = told.get("nobody" if whose == EVERYBODY and name != "sign_out" else "owner", 200)
            right = (asked not in (404, 405) and asked < 500) if expected else asked in (404, 405)
            if whose == OWNER:
                right = right and told["stranger"] in (404, 405) and told["nobody"] == 302
            elif whose == SIGNED_IN:
                right = right and told["stranger"] == told["owner"] and told["nobody"] == 302
            else:
                right = right and not (expected and asked == 302 and name != "sign_out")
            if not right:
                wrong.append((name, whose, method, told))
    assert not wrong, "\n".join(map(str, wrong))


def test_nothing_is_changed_from_a_page_of_somebody_else(addresses: dict[str, str], event: Event) -> None:
    """A form needs the token of this site's own page; the doors of logger and timing ask for their own."""
    browser = Client(enforce_csrf_checks=True)
    browser.force_login(event.owner)
    for name, (_, methods) in TABLE.items():
        if "POST" in methods:
            assert done(browser, "POST", addresses[name]) == (401 if name in ("logger", "timing") else 403), name
