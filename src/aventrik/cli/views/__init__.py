"""Tables and text that several verbs show."""
