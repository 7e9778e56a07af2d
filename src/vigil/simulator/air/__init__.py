"""The air over the sim observatory: functions of time and seed alone, but for dew, which gathers."""
