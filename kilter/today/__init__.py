"""The sheet one lands on."""
