"""Applications that speak OData 4.01 in JSON."""

from .client import ODataClient

__all__ = ["ODataClient"]
