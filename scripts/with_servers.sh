#!/usr/bin/env bash
# Runs a command with private database servers beside it, on free ports of this machine and in a temporary folder, and
# tells it where they are:
#
#   scripts/with_servers.sh cargo test --workspace
#
# With --install first, what is missing is taken from Debian's packages, and a browser for the tests of pages. A server that is not there is left out, and the
# tests that need it say so.
set -euo pipefail
if [ "${1:-}" = --install ]; then
    shift
    missing=()
    ls /usr/lib/postgresql/*/bin/initdb >/dev/null 2>&1 || missing+=(postgresql)
    command -v mariadbd >/dev/null || missing+=(mariadb-server)
    command -v chromium >/dev/null || missing+=(chromium)
    if [ ${#missing[@]} -gt 0 ] && command -v apt-get >/dev/null && [ "$(id -u)" = 0 ]; then
        apt-get update -q >/dev/null 2>&1 || true
        DEBIAN_FRONTEND=noninteractive apt-get install -y -q --no-install-recommends "${missing[@]}" >/dev/null 2>&1 ||
            echo "could not be installed: ${missing[*]}" >&2
    fi
fi

command -v chromium >/dev/null || echo "no browser here: tests that look at pages in one are left out" >&2
folder=$(mktemp -d)
chmod 755 "$folder"
stops=()
end() {
    for stop in "${stops[@]}"; do eval "$stop" || true; done
    rm -rf "$folder"
}
trap end EXIT

# Servers do not run as root.
as() {
    local user=$1
    shift
    if [ "$(id -u)" = 0 ]; then runuser -u "$user" -- "$@"; else "$@"; fi
}

free_port() {
    python3 -c 'import socket; s = socket.socket(); s.bind(("127.0.0.1", 0)); print(s.getsockname()[1])' 2>/dev/null ||
        echo $((20000 + RANDOM % 20000))
}

postgres=$(ls -d /usr/lib/postgresql/*/bin 2>/dev/null | sort -V | tail -1 || true)
if [ -n "$postgres" ]; then
    home=$folder/postgres
    mkdir "$home"
    if [ "$(id -u)" = 0 ]; then chown postgres "$home"; fi
    as postgres "$postgres/initdb" -D "$home/data" -U granum -A trust -E UTF8 --locale=C.UTF-8 >"$home.log" 2>&1
    # One user has a password, and what goes over the line can be encrypted.
    printf '%s\n' 'host all ada 127.0.0.1/32 scram-sha-256' 'host all all 127.0.0.1/32 trust' |
        as postgres tee "$home/data/pg_hba.conf" >/dev/null
    ssl=off
    new=(req -x509 -newkey rsa:2048 -nodes -days 30)
    if as postgres openssl "${new[@]}" -subj /CN=tests -keyout "$home/own.key" -out "$home/own.crt" >>"$home.log" 2>&1 &&
        as postgres openssl "${new[@]}" -subj /CN=localhost -CA "$home/own.crt" -CAkey "$home/own.key" \
            -addext subjectAltName=DNS:localhost -addext basicConstraints=CA:FALSE \
            -keyout "$home/data/server.key" -out "$home/data/server.crt" >>"$home.log" 2>&1; then
        ssl=on
        export GRANUM_TEST_CERTIFICATE=$home/own.crt
    fi
    port=$(free_port)
    as postgres "$postgres/pg_ctl" -D "$home/data" -l "$home/data/log" -w start >>"$home.log" 2>&1 -o \
        "-p $port -c listen_addresses=127.0.0.1 -c unix_socket_directories=$home -c fsync=off -c ssl=$ssl \
         -c max_connections=200 -c shared_buffers=256MB -c max_wal_size=4GB"
    stops+=("as postgres $postgres/pg_ctl -D $home/data -m immediate stop >/dev/null 2>&1")
    export GRANUM_TEST_POSTGRES=postgres://granum@127.0.0.1:$port
else
    echo "no PostgreSQL server here: its tests are left out" >&2
fi

if command -v mariadbd >/dev/null && command -v mariadb-install-db >/dev/null; then
    home=$folder/mariadb
    mkdir "$home"
    if [ "$(id -u)" = 0 ]; then chown mysql "$home"; fi
    as mysql mariadb-install-db --no-defaults --datadir="$home/data" --auth-root-authentication-method=normal \
        --skip-test-db >"$home.log" 2>&1
    port=$(free_port)
    as mysql mariadbd --no-defaults --datadir="$home/data" --port="$port" --bind-address=127.0.0.1 \
        --socket="$home/socket" --pid-file="$home/pid" --innodb-flush-log-at-trx-commit=0 >>"$home.log" 2>&1 &
    stops+=("as mysql mariadb-admin --no-defaults -S $home/socket -u root shutdown >/dev/null 2>&1")
    ask=(mariadb --no-defaults -S "$home/socket" -u root)
    for _ in $(seq 100); do
        "${ask[@]}" -e 'SELECT 1' >/dev/null 2>&1 && break
        sleep 0.2
    done
    "${ask[@]}" -e "CREATE DATABASE granum_tests; CREATE USER granum@'127.0.0.1'; GRANT ALL ON *.* TO granum@'127.0.0.1' WITH GRANT OPTION;
        CREATE USER ada@'127.0.0.1' IDENTIFIED BY 'rose water'; GRANT SELECT ON *.* TO ada@'127.0.0.1'"
    export GRANUM_TEST_MYSQL=mysql://granum@127.0.0.1:$port
else
    echo "no MariaDB server here: its tests are left out" >&2
fi

"$@"
