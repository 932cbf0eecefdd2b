"""Addresses of jobs."""

from django.urls import path

from rainfront.jobs.views import bench, counter, decide, record, repair

app_name = "jobs"
urlpatterns = [
    path("jobs/new/", counter.take_in_page, name="take_in"),
    path("jobs/new/models/", counter.models_like, name="models_like"),
    path("jobs/new/model/", counter.known_model, name="known_model"),
    path("jobs/<int:pk>/", bench.bench_page, name="bench"),
    path("jobs/<int:pk>/line/", bench.add_line, name="line"),
    path("jobs/<int:pk>/complete/", bench.complete_line, name="complete"),
    path("jobs/<int:pk>/grammar/", bench.grammar_page, name="grammar"),
    path("jobs/<int:pk>/checks/<slug:check>/", bench.check_page, name="check"),
    path("jobs/<int:pk>/mishap/", bench.mishap_page, name="mishap"),
    path("jobs/<int:pk>/note/", bench.add_note_line, name="note"),
    path("jobs/<int:pk>/overrule/", bench.overrule, name="overrule"),
    path("jobs/<int:pk>/give/", bench.give_page, name="give"),
    path("jobs/<int:pk>/stage/", bench.change_stage, name="stage"),
    path("jobs/<int:pk>/entries/<int:entry>/strike/", bench.strike, name="strike"),
    path("jobs/<int:pk>/entries/<int:entry>/restore/", bench.restore, name="restore"),
    path("jobs/<int:pk>/details/", counter.details_page, name="details"),
    path("jobs/<int:pk>/choose/<slug:route>/", repair.choose_page, name="choose"),
    path("jobs/<int:pk>/decide/", decide.decide_page, name="decide"),
    path("jobs/<int:pk>/decide/habit/", decide.school, name="school"),
    path("jobs/<int:pk>/why/", decide.why_page, name="why"),
    path("jobs/<int:pk>/quotes/<slug:route>/", decide.quote_page, name="quote"),
    path("jobs/<int:pk>/quotes/<int:quote>/answer/", decide.answer, name="answer"),
    path("jobs/<int:pk>/repair/drop/", repair.drop, name="drop"),
    path("jobs/<int:pk>/record/", record.record_page, name="record"),
]
