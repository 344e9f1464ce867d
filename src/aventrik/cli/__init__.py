"""The command line: arguments in, tables and text out. A verb is one module in `verbs` and one line in `VERBS`."""
