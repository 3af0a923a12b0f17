"""The open interface: OData 4.01 in JSON over HTTP."""
