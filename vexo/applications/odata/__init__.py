"""Applications that speak OData 4.01 in JSON."""

from .application import ODataApplication

__all__ = ["ODataApplication"]
