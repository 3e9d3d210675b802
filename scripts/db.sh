#!/usr/bin/env bash
# The project's own PostgreSQL, on loopback only, in .data: db.sh start|stop|kill|keep|fresh|drop|status|url
# WISEMARROW_DATA is another folder for it, WISEMARROW_DB_PORT the port to take.
#
# Passwords are made here and kept in .data/pgpass, for its owner alone. The program has an
# ordinary role, wisemarrow, that owns its database; tests have wisemarrow_tests, which may
# make databases. The superuser gets in over the socket only, as the user that runs it.
set -euo pipefail
cd "$(dirname "$0")/.."
home=${WISEMARROW_DATA:-$PWD/.data}
mkdir -p "$home"
bin=$(ls -d /usr/lib/postgresql/*/bin 2>/dev/null | sort -V | tail -1 || true)
[ -n "$bin" ] || { echo "PostgreSQL's server is missing: run scripts/install.sh" >&2; exit 1; }
data=$home/postgres
as=()
if [ "$(id -u)" = 0 ]; then
  # PostgreSQL refuses to run as root. Where its own user cannot reach this
  # folder the data lies in that user's home, under a name made of the path.
  as=(runuser -u postgres --)
  mkdir -p "$data"
  if ! "${as[@]}" test -x "$data" 2>/dev/null; then
    rmdir "$data" 2>/dev/null || true
    data=/var/lib/postgresql/wisemarrow-$(printf %s "$home" | sha256sum | cut -c1-12)
    mkdir -p "$data"
  fi
  chown postgres "$data"
fi
run() { (cd / && "${as[@]}" "$@"); }
running() { run "$bin/pg_ctl" -D "$data" status >/dev/null 2>&1; }
port() { sed -n 4p "$data/postmaster.pid"; }
socket=$data
[ ${#data} -lt 80 ] || socket=/tmp/wisemarrow-$(printf %s "$data" | sha256sum | cut -c1-12) # names of sockets are short
owner=$(id -un); [ ${#as[@]} = 0 ] || owner=postgres
pass=$home/pgpass
super() { run psql -qX -v ON_ERROR_STOP=1 -h "$socket" -p "$(port)" -U "$owner" -d "${1:-postgres}" -f -; }

# begin starts the cluster on a port, with the socket that the superuser gets in over.
begin() {
  [ "$socket" = "$data" ] || run mkdir -p -m 700 "$socket"
  run "$bin/pg_ctl" -D "$data" -w -t 60 -l "$data/log" -o "-p $1 -c listen_addresses=127.0.0.1 -c unix_socket_directories='$socket'" start >/dev/null ||
    { echo "PostgreSQL did not start; the end of its log:" >&2; run tail -5 "$data/log" >&2; exit 1; }
}

# secure gives a cluster its roles and passwords, and closes it to all others. A cluster of
# before, which let every local user in, becomes one like that. Who may come in is written last, so that whatever
# stops it on the way, the superuser still can, and the next start goes on.
secure() {
  local old="postgres://wisemarrow@127.0.0.1:$(port)/postgres" p t
  if run grep -q "^host.*trust" "$data/pg_hba.conf"; then
    echo "Giving the database passwords: $pass"
    if [ "$(psql -qXtA "$old" -c "select rolsuper from pg_roles where rolname = 'wisemarrow'")" = t ]; then
      psql -qX "$old" -c "drop role if exists wisemarrow_moving" -c "create role wisemarrow_moving superuser login"
      psql -qX "${old/wisemarrow@/wisemarrow_moving@}" -c "alter role wisemarrow rename to \"$owner\""
    fi
  fi
  p=$(head -c 24 /dev/urandom | base64 | tr -d '+/=\n'); t=$(head -c 24 /dev/urandom | base64 | tr -d '+/=\n')
  super <<SQL
set client_min_messages = warning;
drop role if exists wisemarrow_moving;
-- What tests left behind; they make it anew.
select format('drop database %I with (force)', datname) from pg_database where datname ~ '^(wisemarrow_|test_)' \\gexec
set password_encryption = 'scram-sha-256';
do \$\$ begin create role wisemarrow login; exception when duplicate_object then null; end \$\$;
do \$\$ begin create role wisemarrow_tests login createdb; exception when duplicate_object then null; end \$\$;
alter role wisemarrow password '$p';
alter role wisemarrow_tests password '$t';
SQL
  (umask 077; printf '127.0.0.1:*:*:wisemarrow:%s\n127.0.0.1:*:*:wisemarrow_tests:%s\n' "$p" "$t" >"$pass.new")
  printf '%s\n' "local all all peer" "host all all 127.0.0.1/32 scram-sha-256" | run tee "$data/pg_hba.conf.new" >/dev/null
  run mv "$data/pg_hba.conf.new" "$data/pg_hba.conf"
  run "$bin/pg_ctl" -D "$data" reload >/dev/null
  mv "$pass.new" "$pass"
  sleep 0.2
}

# own makes the program's database its role's.
own() {
  super <<SQL
select 'create database wisemarrow' where not exists (select from pg_database where datname = 'wisemarrow') \gexec
alter database wisemarrow owner to wisemarrow;
revoke all on database wisemarrow from public;
SQL
  super wisemarrow <<'SQL'
alter schema public owner to wisemarrow;
select format('alter %s %s owner to wisemarrow', case c.relkind when 'S' then 'sequence' else 'table' end, c.oid::regclass) from pg_class c
  left join pg_depend d on d.objid = c.oid and d.deptype in ('a', 'i') and d.classid = 'pg_class'::regclass and c.relkind = 'S'
  where c.relnamespace = 'public'::regnamespace and c.relkind in ('r', 'p', 'S') and c.relowner <> 'wisemarrow'::regrole and d.objid is null \gexec
select format('alter function %s owner to wisemarrow', p.oid::regprocedure) from pg_proc p
  where p.pronamespace = 'public'::regnamespace and p.proowner <> 'wisemarrow'::regrole \gexec
select format('alter type %s owner to wisemarrow', t.oid::regtype) from pg_type t
  where t.typnamespace = 'public'::regnamespace and t.typtype = 'e' and t.typowner <> 'wisemarrow'::regrole \gexec
SQL
}

case "${1:-}" in
start)
  rm -f "$home/stopped"
  if [ -f "$data/PG_VERSION" ]; then
    have=$(cat "$data/PG_VERSION"); this=$("$bin/postgres" --version | sed -E 's/.* ([0-9]+)[.].*/\1/')
    if [ "$have" != "$this" ]; then
      echo "The data in $data was made by PostgreSQL $have, and this machine has $this." >&2
      echo "Nothing was changed. Install postgresql-$have, or move the folder away and restore a backup." >&2
      exit 1
    fi
  else
    echo "Making the database cluster in $data"
    run "$bin/initdb" -D "$data" -U "$owner" --auth-local=peer --auth-host=scram-sha-256 --encoding=UTF8 --locale=C.UTF-8 >/dev/null
    rm -f "$pass"
  fi
  if ! running; then
    free=""
    for p in ${WISEMARROW_DB_PORT:-$(seq 5540 5599)}; do
      if ! (exec 3<>"/dev/tcp/127.0.0.1/$p") 2>/dev/null; then free=$p; break; fi
    done
    [ -n "$free" ] || { echo "No port of ${WISEMARROW_DB_PORT:-5540 to 5599} is free on 127.0.0.1" >&2; exit 1; }
    begin "$free"
  elif ! run test -S "$socket/.s.PGSQL.$(port)"; then
    # An earlier version started it without the socket.
    was=$(port)
    run "$bin/pg_ctl" -D "$data" -m fast -w stop >/dev/null
    begin "$was"
  fi
  [ -s "$pass" ] || secure
  own
  (umask 077; "$0" url >"$home/database-url") ;;
fresh) # the program's database, empty
  super <<<"drop database if exists wisemarrow with (force)"
  own ;;
keep) # starts it again on its port whenever it is down and nobody stopped it, as long as process $2 runs
  was=$(port)
  while kill -0 "${2:?the process to keep it for}" 2>/dev/null; do
    if ! running && [ ! -e "$home/stopped" ]; then
      echo "The database is down: starting it again" >&2
      WISEMARROW_DB_PORT=$was "$0" start || true
    fi
    sleep "${WISEMARROW_KEEP_EVERY:-3}"
  done ;;
stop) touch "$home/stopped"; if running; then run "$bin/pg_ctl" -D "$data" -m fast -w stop >/dev/null; fi ;;
kill) if running; then run "$bin/pg_ctl" -D "$data" -m immediate -w stop >/dev/null; fi ;; # as a crash would
drop) if running; then run "$bin/pg_ctl" -D "$data" -m immediate -w stop >/dev/null; fi; rm -rf "$data" ;;
status) running && echo "running on 127.0.0.1:$(port)" || echo "not running" ;;
url)
  running || { echo "The database is not running: make db" >&2; exit 1; }
  as=wisemarrow; [ "${2:-wisemarrow}" = wisemarrow ] || as=wisemarrow_tests
  echo "postgres://$as@127.0.0.1:$(port)/${2:-wisemarrow}?sslmode=disable&passfile=${pass// /%20}" ;;
*) echo "usage: db.sh start|stop|kill|keep PID|fresh|drop|status|url [DATABASE]" >&2; exit 2 ;;
esac
