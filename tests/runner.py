"""Django's runner, which also says in plain words how many tests passed."""

from __future__ import annotations

import os
from typing import Any
from unittest import TestResult, TestSuite

from django.test.runner import DiscoverRunner


class Runner(DiscoverRunner):
    """Prints 'N passed, N failed' before Django's own summary is acted upon."""

    def setup_test_environment(self, **kwargs: Any) -> None:
        super().setup_test_environment(**kwargs)
        os.environ.setdefault("DJANGO_ALLOW_ASYNC_UNSAFE", "1")

    def suite_result(self, suite: TestSuite, result: TestResult, **kwargs: Any) -> int:
        bad = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
        skipped = len(result.skipped)
        text = f"{max(0, result.testsRun - bad - skipped)} passed, {bad} failed"
        print(text + (f", {skipped} skipped" if skipped else ""), flush=True)
        return super().suite_result(suite, result, **kwargs)
