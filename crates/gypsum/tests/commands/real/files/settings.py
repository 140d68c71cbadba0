import os
DEBUG = False
UPLOAD_MAX = 64 * 1024 * 1024  # bytes
ALLOWED_HOSTS = [
    "quay.example",
    "ferries.example",  # the old name
]
LOG_DIR = os.environ.get("LOG_DIR", "/var/log")
