"""The interactive process: warm kernels and the open shot behind a local socket.

`client` and `wire` are light and serve the web process; `process` and what it uses bring the core.
"""
