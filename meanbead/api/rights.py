"""Who may ask for what: one table, and what is not in it is refused.

A *guest* stands at the machine: reads, and enters what came out. A *member* does everything but people, network and secrets.
An *owner* does these, too; what matters most asks for the passphrase once more. A test walks through every route of the
application with every role.
"""

from __future__ import annotations

from enum import Enum

from meanbead.store.people import Role


class Right(Enum):
    """What somebody has to be: ``role`` at least, None for anybody; ``confirmed`` where the passphrase has to have been
    given within the last minutes."""

    ANYBODY_WITHOUT_ASKING = (None, False, 0)
    """Not even the session is looked up: files of the pages, which hold no data."""

    ANYBODY = (None, False, 1)
    READ = ("guest", False, 2)
    COMPUTE = ("guest", False, 3)
    """Changes nothing but what is remembered of figures."""

    OWN = ("guest", False, 4)
    """One's own account."""

    ENTER = ("guest", False, 6)
    CHANGE = ("member", False, 7)
    LOOK_AFTER = ("owner", False, 8)
    LOOK_AFTER_CONFIRMED = ("owner", True, 9)

    def __init__(self, role: Role | None, confirmed: bool, _place: int) -> None:
        self.role = role
        self.confirmed = confirmed


_TABLE: dict[Right, str] = {
    Right.ANYBODY_WITHOUT_ASKING: "pages.page pages.asset",
    Right.ANYBODY: """
        health.health sign_in.who_am_i sign_in.make_owner sign_in.sign_in sign_in.look_at_invitation
        sign_in.accept_invitation network.authority network.network
    """,
    Right.READ: """
        openapi.spec
        parts.list_parts part_files.parts_csv parts.list_names parts.get_part
        part_views.picture part_views.mesh part_views.guessed part_views.insight part_views.thickness
        uploads.upload_picture
        recipes.list_recipes recipes.recipe_versions
        estimates.layers advice.list_findings advice.look_at_next_moves advice.look_at_curve reports.part_report samples.samples search.search_start settings.settings settings.settings_file
        strokes.strokes_index strokes.strokes_piece strokes.look_at_first_layer
        house_recipes.list_houses house_recipes.house_versions
        house_rules.house_rules house_rules.list_endings
        shelf.shelf shelf.library machines.full_steps
        shelf.machine_file shelf.material_file shelf.nozzle_file shelf.purpose_file shelf.spool_file
        flow_tests.list_flow_tests flow_tests.get_flow_test flow_tests.flow_test_file flow_tests.compare
        flow_tests.effect flow_tests.get_photo flow_questions.ask_heat
        test_pieces.list_pieces test_pieces.test_piece_file
        runs.list_runs runs.get_run runs.get_tag runs.get_run_photo runs.get_thumbnail runs.labels runs.fault_rates
        run_files.runs_csv run_files.runs_json
        faults.list_faults faults.since_last_good faults.list_causes faults.chain
        journal.list_entries
        calibrations.list_calibrations calibrations.get_calibration
        experiments.list_experiments experiments.list_ready_made experiments.get_experiment experiments.next_pair
        experiments.experiment_csv
        plates.list_plates plates.get_plate
        queue.list_queue
        day.get_day day.list_reasons day.list_spools_ahead day.calendar day.list_hours
        prints.get_sending prints.list_words prints.get_column_file prints.get_file_content prints.list_prints
        prints.get_print comments.list_comments
        jobs.get_job
        changes.listen
    """,
    Right.COMPUTE: """
        estimates.estimate estimates.first_answer estimates.figures estimates.list_sensitivities estimates.preview_recipe
        estimates.start_waterfall
        house_rules.preview_house_rules flow_tests.try_flow_plan
        faults.price_cause
        calibrations.expected calibrations.list_differences calibrations.start_again calibrations.start_limits
        calibrations.start_test_prints calibrations.compare_two
        plates.check_plate plates.start_plate plates.start_fill day.start_worth
        jobs.cancel_job
    """,
    Right.OWN: """
        sign_in.sign_out sign_in.confirm sign_in.list_devices sign_in.sign_out_device sign_in.sign_out_others
        sign_in.change_passphrase
    """,
    Right.ENTER: """
        flow_tests.add_point flow_tests.edit_point flow_tests.delete_point flow_tests.restore_point
        flow_tests.add_photo flow_tests.weigh
        runs.start_run runs.edit_run runs.add_run_photo runs.delete_run_photo runs.restore_run_photo runs.weigh_run
        journal.add_entry
        experiments.add_comparison experiments.delete_comparison experiments.add_measurement
        experiments.delete_measurement experiments.restore_measurement
        day.start_plan day.start_planned day.delay day.take_off
        prints.read_first_file prints.stop_machine prints.start_print prints.pause_print prints.resume_print
        prints.leave_print
    """,
    Right.CHANGE: """
        parts.add_part parts.edit_part parts.split_part parts.estimate_orientations parts.delete_part parts.restore_part
        uploads.close_upload samples.add_samples samples.remove_samples samples.restore_samples
        recipes.add_recipe recipes.add_gcode recipes.edit_recipe recipes.delete_recipe recipes.restore_recipe
        advice.start_levers advice.start_remedies search.start_search
        house_recipes.keep house_recipes.edit_house house_recipes.delete_house house_recipes.restore_house
        house_rules.edit_house_rules
        shelf.import_row
        shelf.add_machine shelf.edit_machine shelf.delete_machine shelf.restore_machine shelf.move_machine
        shelf.add_nozzle shelf.edit_nozzle shelf.delete_nozzle shelf.restore_nozzle shelf.move_nozzle
        shelf.add_material shelf.edit_material shelf.delete_material shelf.restore_material shelf.move_material
        shelf.add_spool shelf.edit_spool shelf.delete_spool shelf.restore_spool shelf.move_spool
        shelf.add_purpose shelf.edit_purpose shelf.delete_purpose shelf.restore_purpose shelf.move_purpose
        machines.read_firmware machines.ask_console machines.try_routine
        flow_tests.add_flow_test flow_tests.edit_flow_test flow_tests.delete_flow_test flow_tests.restore_flow_test
        flow_tests.over_console flow_tests.use_flow_test flow_tests.stop_using flow_tests.retire
        flow_questions.start_fitting
        test_pieces.make_test_piece test_pieces.judge_piece test_pieces.take_back test_pieces.delete_piece
        test_pieces.restore_piece
        runs.delete_run runs.restore_run
        run_files.preview_import run_files.import_runs
        faults.try_cause
        calibrations.apply_limits calibrations.add_test_prints
        experiments.add_experiment experiments.edit_experiment experiments.delete_experiment
        experiments.restore_experiment
        plates.add_plate plates.edit_plate plates.arrange_plate plates.delete_plate plates.restore_plate
        queue.add_to_queue queue.edit_queued queue.delete_queued queue.restore_queued queue.queue_again queue.queue_from_csv
        day.pin day.release day.edit_day_rules
        day.add_hours day.delete_hours day.restore_hours day.take_calendar
        comments.edit_comment_rules prints.try_way prints.make_file prints.send_print
        journal.edit_entry journal.delete_entry journal.restore_entry
    """,
    Right.LOOK_AFTER: "people.list_people people.audit backups.list_backups",
    Right.LOOK_AFTER_CONFIRMED: """
        people.invite people.withdraw people.edit_person people.delete_person people.restore_person
        people.sign_person_out
        prints.edit_sending
        backups.make_backup backups.take_backup backups.check_backup backups.bring_backup backups.restore_backup
    """,
}

RIGHTS: dict[str, Right] = {endpoint: right for right, endpoints in _TABLE.items() for endpoint in endpoints.split()}
"""What each endpoint asks for."""
