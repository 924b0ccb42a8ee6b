"""The composition root: command line, environment, files; nothing below it reads either."""
