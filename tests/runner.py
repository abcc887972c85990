"""Django's test runner with a data folder of its own, so that tests never touch a user's work."""

from __future__ import annotations

import os
import shutil
import tempfile
from pathlib import Path
from typing import Any

from django.conf import settings
from django.test.runner import DiscoverRunner


class Runner(DiscoverRunner):
    """Uploads, readings and deliveries go to a temporary folder that is removed at the end."""

    def setup_test_environment(self, **kwargs: Any) -> None:
        """Before all tests."""
        self._folder = tempfile.mkdtemp(prefix="limus-test-")
        self._cache = os.environ.get("LIMUS_CACHE")
        settings.DATA_DIR = Path(self._folder)
        os.environ["LIMUS_CACHE"] = f"{self._folder}/readings"
        super().setup_test_environment(**kwargs)

    def teardown_test_environment(self, **kwargs: Any) -> None:
        """After all tests."""
        super().teardown_test_environment(**kwargs)
        shutil.rmtree(self._folder, ignore_errors=True)
        if self._cache is not None:
            os.environ["LIMUS_CACHE"] = self._cache

    def suite_result(self, suite: Any, result: Any, **kwargs: Any) -> int:
        """Close with one plain line of figures."""
        failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
        skipped = len(result.skipped)
        print(f"\n{result.testsRun - failed - skipped} passed, {failed} failed, {skipped} skipped")
        return int(super().suite_result(suite, result, **kwargs))
