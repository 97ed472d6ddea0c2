"""Small programs that play outside devices. They know a made-up vehicle and speak the open device feed, and nothing else:
they import the core and never the application.
"""
