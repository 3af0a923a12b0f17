"""The trips' migrations, and one that a later release could have."""

from pathlib import Path

from vexo.server.trips import migrations

__path__.append(str(Path(str(migrations.__file__)).parent))
