"""Reading the settings of the installation, and changing them."""

from __future__ import annotations

from .models import InstallationSettings


def installation_settings() -> InstallationSettings:
    """The settings as they are now; the defaults where nobody has set any."""
    return InstallationSettings.objects.filter(pk=1).first() or InstallationSettings(pk=1)
