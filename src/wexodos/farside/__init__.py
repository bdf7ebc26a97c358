"""The far side, for rehearsals: rooms that take what was sent and do with it what such rooms do."""
