"""Addresses of jobs."""

from django.urls import path

from rainfront.jobs.views import bench, casefiles, counter, decide, finish, lists, models, proof, repair, screws, work

app_name = "jobs"
urlpatterns = [
    path("", lists.job_list, name="list"),
    path("jobs/new/", counter.take_in_page, name="take_in"),
    path("jobs/new/model/", counter.known_model, name="known_model"),
    path("models/", models.models_page, name="models"),
    path("models/<path:name>/", models.model_page, name="model"),
    path("jobs/import/", casefiles.import_page, name="import"),
    path("jobs/<int:pk>/", bench.bench_page, name="bench"),
    path("jobs/<int:pk>/line/", bench.add_line, name="line"),
    path("jobs/<int:pk>/complete/", bench.complete_line, name="complete"),
    path("jobs/<int:pk>/grammar/", bench.grammar_page, name="grammar"),
    path("jobs/<int:pk>/checks/<slug:check>/", bench.check_page, name="check"),
    path("jobs/<int:pk>/note/", bench.add_note_line, name="note"),
    path("jobs/<int:pk>/overrule/", bench.overrule, name="overrule"),
    path("jobs/<int:pk>/stage/", bench.change_stage, name="stage"),
    path("jobs/<int:pk>/entries/<int:entry>/strike/", bench.strike, name="strike"),
    path("jobs/<int:pk>/entries/<int:entry>/restore/", bench.restore, name="restore"),
    path("jobs/<int:pk>/redact/", lists.redact, name="redact"),
    path("jobs/<int:pk>/details/", counter.details_page, name="details"),
    path("jobs/<int:pk>/choose/<slug:route>/", repair.choose_page, name="choose"),
    path("jobs/<int:pk>/decide/", decide.decide_page, name="decide"),
    path("jobs/<int:pk>/decide/habit/", decide.school, name="school"),
    path("jobs/<int:pk>/why/", decide.why_page, name="why"),
    path("jobs/<int:pk>/quotes/<slug:route>/", decide.quote_page, name="quote"),
    path("jobs/<int:pk>/quotes/<int:quote>/answer/", decide.answer, name="answer"),
    path("jobs/<int:pk>/repair/", work.repair_page, name="repair"),
    path("jobs/<int:pk>/repair/step/", work.step, name="step"),
    path("jobs/<int:pk>/repair/answer/", work.answer, name="step_answer"),
    path("jobs/<int:pk>/repair/way/", work.pick, name="pick"),
    path("jobs/<int:pk>/screws/", screws.screws_page, name="screws"),
    path("jobs/<int:pk>/screws/outline.svg", screws.outline, name="outline"),
    path("jobs/<int:pk>/repair/drop/", repair.drop, name="drop"),
    path("jobs/<int:pk>/prove/", proof.prove_page, name="prove"),
    path("jobs/<int:pk>/prove/read/", proof.read, name="prove_read"),
    path("jobs/<int:pk>/prove/again/", proof.again, name="prove_again"),
    path("jobs/<int:pk>/prove/failed/", proof.failed, name="prove_failed"),
    path("jobs/<int:pk>/close/", finish.close_page, name="close"),
    path("jobs/<int:pk>/refer/", finish.refer_page, name="refer"),
    path("jobs/<int:pk>/reopen/", finish.reopen, name="reopen"),
    path("jobs/<int:pk>/record/", lists.record_page, name="record"),
    path("jobs/<int:pk>/case.json", casefiles.export, name="export"),
]
