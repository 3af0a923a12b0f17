"""Vexo as a later release of it could be: trips have a column more."""

from vexo.server.settings import *  # noqa: F403

MIGRATION_MODULES = {"trips": "tests.upgrades.later"}
