"""``python -m tests [NAME ...]`` runs all tests, or those named; the last line counts them."""

import sys
import unittest


def main() -> int:
    loader = unittest.defaultTestLoader
    names = sys.argv[1:]
    suite = loader.loadTestsFromNames(names) if names else loader.discover("tests", top_level_dir=".")
    result = unittest.TextTestRunner(verbosity=1).run(suite)
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    skipped = len(result.skipped)
    passed = result.testsRun - failed - skipped
    print(f"{passed} passed, {failed} failed" + (f", {skipped} skipped" if skipped else ""), flush=True)
    return 1 if failed or not result.testsRun else 0


if __name__ == "__main__":
    sys.exit(main())
