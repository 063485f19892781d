from cattailer.cli import run

run()
