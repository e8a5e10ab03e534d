"""Addresses of the place Names."""

from django.urls import path

from indexa.naming.passes import name_sheet_views as all_names_views
from indexa.naming.passes import views as pass_views
from indexa.naming.standards import views as standard_views
from indexa.naming.wordbooks import views as book_views
from indexa.naming.wordbooks import word_views

app_name = "naming"
urlpatterns = [
    path("", word_views.wordbook, name="wordbook"),
    path("words/new/", word_views.word, name="word-new"),
    path("words/<int:pk>/", word_views.word, name="word"),
    path("words/<int:pk>/row/", word_views.word_row, name="word-row"),
    path("words/agree/", word_views.agree_all, name="agree-all"),
    path("books/", book_views.book_list, name="books"),
    path("doubts/", book_views.doubt_list, name="doubts"),
    path("doubts/<int:pk>/", book_views.issue, name="doubt"),
    path("words/<int:pk>/merge/", word_views.merge, name="merge"),
    path("find/", word_views.find_words, name="find-words"),
    path("import/", word_views.take_in, name="import"),
    path("export.<str:kind>", word_views.export, name="export"),
    path("all/", all_names_views.name_list, name="all"),
    path("all/<int:pk>/write/", all_names_views.write, name="all-write"),
    path("all/<int:pk>/import/", all_names_views.import_names, name="all-import"),
    path("all/<int:pk>/names.<str:kind>", all_names_views.export, name="all-export"),
    path("standards/", standard_views.standard_list, name="standards"),
    path("standards/<int:pk>/", standard_views.standard_page, name="standard"),
    path("standards/<int:pk>/rules/<slug:kind>/", standard_views.rule, name="rule"),
    path("standards/<int:pk>/models/", standard_views.govern, name="govern"),
    path("standards/<int:pk>/file/", standard_views.standard_file, name="standard-file"),
    path("findings/", standard_views.findings, name="findings"),
    path("findings/fix/", standard_views.fix_all, name="fix-all"),
    path("findings/<int:pk>/fix/", standard_views.fix, name="fix"),
    path("findings/<int:pk>/", standard_views.waive, name="waive"),
    path("passes/", pass_views.pass_list, name="passes"),
    path("passes/<int:pk>/", pass_views.pass_page, name="pass"),
    path("passes/<int:pk>/words/<int:word_pk>/", pass_views.word, name="pass-word"),
    path("passes/<int:pk>/certain/", pass_views.certain, name="pass-certain"),
    path("passes/<int:pk>/names/", pass_views.names, name="pass-names"),
    path("passes/<int:pk>/names/<int:name_pk>/", pass_views.name, name="pass-name"),
    path("passes/<int:pk>/apply/", pass_views.apply, name="pass-apply"),
    path("passes/<int:pk>/discard/", pass_views.discard, name="pass-discard"),
]
