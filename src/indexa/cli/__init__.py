"""The headless commands: the core on files and connections, without Django, a server or an account."""
