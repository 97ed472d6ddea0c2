"""What systemd needs to keep an installation up, and to back it up each night.

The program is one service: it keeps its web processes, worker, follower and database up itself, and systemd keeps it.
"""

from __future__ import annotations

import getpass
from pathlib import Path

from launch import ROOT, VAR

_SERVICE = """\
[Unit]
Description=Rectaxis
After=network-online.target
Wants=network-online.target

[Service]
Type=simple
User={user}
WorkingDirectory={root}
EnvironmentFile=-/etc/rectaxis.env
Environment=RECTAXIS_LOG=json
ExecStart={root}/run serve
Restart=always
RestartSec=5
TimeoutStopSec=60
PrivateTmp=yes
ProtectKernelTunables=yes
ProtectControlGroups=yes
RestrictSUIDSGID={nosuid}

[Install]
WantedBy=multi-user.target
"""
_BACKUP = """\
[Unit]
Description=Backup of Rectaxis

[Service]
Type=oneshot
User={user}
WorkingDirectory={root}
EnvironmentFile=-/etc/rectaxis.env
ExecStart={root}/run backup
"""
_TIMER = """\
[Unit]
Description=Backup of Rectaxis each night

[Timer]
OnCalendar=*-*-* 02:30
Persistent=yes

[Install]
WantedBy=timers.target
"""
_SAID = """\
Written to {folder}. To have the program kept up, and started with the machine:

  sudo cp {folder}/rectaxis* /etc/systemd/system/
  sudo systemctl daemon-reload
  sudo systemctl enable --now rectaxis.service rectaxis-backup.timer

Settings such as RECTAXIS_SITE go into /etc/rectaxis.env, a line each (docs/operations.md has them). Its log: journalctl -u rectaxis
Backups go to {backups}: have them taken to another machine.
"""


def install(folder: Path) -> str:
    """Write the units into a folder; answers with what to do with them."""
    folder.mkdir(parents=True, exist_ok=True)
    user = getpass.getuser()
    # Whoever is root starts the database as a user of its own.
    words = {"user": user, "root": ROOT, "nosuid": "no" if user == "root" else "yes"}
    for name, text in (
        ("rectaxis.service", _SERVICE),
        ("rectaxis-backup.service", _BACKUP),
        ("rectaxis-backup.timer", _TIMER),
    ):
        (folder / name).write_text(text.format(**words))
    return _SAID.format(folder=folder, backups=VAR / "backups")
