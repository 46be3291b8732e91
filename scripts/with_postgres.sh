#!/bin/sh
# Runs a command with ESCUADRA_TEST_POSTGRES naming a PostgreSQL of its own: on loopback, on a data folder of its own.
set -eu
bin=$(ls -d /usr/lib/postgresql/*/bin | sort -V | tail -n 1)
folder=$(mktemp -d)
as=""
if [ "$(id -u)" = 0 ]; then
  # The server refuses to run as root: Debian's own account does it.
  id postgres >/dev/null 2>&1 || useradd --system postgres
  chown postgres "$folder"
  as="runuser -u postgres --"
fi
port=$(python3 -c 'import socket; s = socket.socket(); s.bind(("127.0.0.1", 0)); print(s.getsockname()[1])')
stop() { $as "$bin/pg_ctl" -D "$folder/data" -m immediate stop >/dev/null 2>&1 || true; rm -rf "$folder"; }
trap stop EXIT INT TERM
cd "$folder" && $as "$bin/initdb" -D "$folder/data" -U escuadra -A trust >/dev/null && cd - >/dev/null
$as "$bin/pg_ctl" -D "$folder/data" -w -l "$folder/log" \
  -o "-h 127.0.0.1 -p $port -k $folder" start >/dev/null
ESCUADRA_TEST_POSTGRES="postgresql+psycopg://escuadra@127.0.0.1:$port/postgres" "$@"
