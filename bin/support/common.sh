# Shared by the commands in bin/. Sourced, not run. Everything a checkout writes lies under var/.

set -euo pipefail
here=$(cd "$(dirname "${BASH_SOURCE[0]}")/../.." && pwd)
cd "$here"
# Another folder can be named, so that tests run a whole Lighterman of their own.
export LIGHTERMAN_VAR=${LIGHTERMAN_VAR:-$here/var}
var=$LIGHTERMAN_VAR
mkdir -p "$var/log" "$var/run" "$here/var/run"

say() { printf '%s\n' "$*"; }
fail() { printf 'error: %s\n' "$*" >&2; exit 1; }

pg_bin() {
    local found
    found=$(ls -d /usr/lib/postgresql/*/bin 2>/dev/null | sort -V | tail -n 1 || true)
    [ -x "$found/initdb" ] && printf '%s' "$found"
}

# Debian packages that are missing for the names given: "up" for running, "test" for the tests as well.
missing_packages() {
    command -v php >/dev/null || printf 'php8.2-cli '
    if command -v php >/dev/null; then
        local have; have=" $(php -m | tr '[:upper:]\n' '[:lower:] ') "
        for pair in pgsql:pgsql pdo_pgsql:pgsql curl:curl zip:zip bcmath:bcmath gmp:gmp intl:intl mbstring:mbstring xml:xml pdo_mysql:mysql pdo_sqlite:sqlite3; do
            case "$have" in *" ${pair%%:*} "*) ;; *) printf 'php8.2-%s ' "${pair##*:}" ;; esac
        done
    else
        printf 'php8.2-pgsql php8.2-curl php8.2-zip php8.2-bcmath php8.2-gmp php8.2-intl php8.2-mbstring php8.2-xml php8.2-mysql php8.2-sqlite3 '
    fi
    command -v composer >/dev/null || printf 'composer '
    command -v unzip >/dev/null || printf 'unzip '
    command -v node >/dev/null || printf 'nodejs '
    command -v npm >/dev/null || printf 'npm '
    [ -n "$(pg_bin)" ] || printf 'postgresql '
    command -v psql >/dev/null || printf 'postgresql-client '
    command -v setpriv >/dev/null || printf 'util-linux '
    if [ "${1:-}" = test ]; then
        [ -x /usr/bin/chromium ] || printf 'chromium '
        compgen -G '/usr/lib/*/faketime/libfaketime.so.1' >/dev/null || printf 'faketime '
    fi
    case " $* " in *" test "*|*" mariadb "*) [ -x /usr/sbin/mariadbd ] || printf 'mariadb-server ' ;; esac
}

install_packages() {
    local wanted; wanted=$(missing_packages "$@" | tr ' ' '\n' | sort -u | xargs)
    [ -n "$wanted" ] || return 0
    if [ "$(id -u)" != 0 ]; then
        fail "these Debian packages are missing: $wanted. Install them as root (apt-get install $wanted), then run this again."
    fi
    say "Installing $wanted ..."
    apt-get update -qq >"$var/log/apt.log" 2>&1 || fail "the package lists could not be read; see var/log/apt.log."
    # shellcheck disable=SC2086
    DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $wanted </dev/null >>"$var/log/apt.log" 2>&1 \
        || fail "the packages could not be installed; see var/log/apt.log."
}

# once NAME CHECK "INPUTS" COMMAND ...: runs a step again only when the files it depends on have changed since it last
# succeeded, or what it makes is gone.
once() {
    local name=$1 check=$2 inputs=$3 sum; shift 3
    # shellcheck disable=SC2086
    sum=$(cat $inputs | cksum)
    [ -e "$check" ] && [ "$(cat "$here/var/run/$name.done" 2>/dev/null)" = "$sum" ] && return 0
    "$@" >"$var/log/$name.log" 2>&1 || { tail -n 20 "$var/log/$name.log" >&2; fail "$name failed; the whole of it is in var/log/$name.log."; }
    printf '%s' "$sum" >"$here/var/run/$name.done"
}

install_libraries() {
    export COMPOSER_ALLOW_SUPERUSER=1
    once composer vendor/autoload.php composer.json composer install --no-interaction --no-progress
    once npm node_modules/bulma package.json npm install --no-audit --no-fund --no-package-lock
    once build public/build/app.css "$(find resources/css resources/js resources/build.mjs -type f | sort | xargs) package.json" node resources/build.mjs
}

free_port() {
    php -r '$s = stream_socket_server("tcp://127.0.0.1:0"); echo explode(":", stream_socket_get_name($s, false))[1];'
}

# PostgreSQL refuses to run as root; then it runs as the account its package made.
as_pg() {
    if [ "$(id -u)" = 0 ]; then setpriv --reuid=postgres --regid=postgres --clear-groups env HOME=/tmp "$@"; else "$@"; fi
}

# pg_start FOLDER [setting ...] starts a server on loopback with its data in FOLDER; prints nothing.
# FOLDER/port and FOLDER/password hold how to reach it as user lighterman.
pg_start() {
    local at=$1 bin port; shift
    bin=$(pg_bin)
    mkdir -p "$at"
    if [ "$(id -u)" = 0 ] && [ ! -e "$at/data" ] && ! { chown postgres: "$at" && as_pg test -w "$at"; } 2>/dev/null; then
        # The account may not enter this folder (a checkout in /root, say): its data lies elsewhere, behind a link.
        local away; away="/var/lib/lighterman/$(printf '%s' "$at" | cksum | tr -d ' ')"
        mkdir -p "$away" && chown postgres: "$away"
        ln -sfn "$away" "$at/data"
    fi
    [ "$(id -u)" = 0 ] && [ ! -L "$at/data" ] && chown postgres: "$at"
    local data; data=$(readlink -m "$at/data")
    if [ ! -e "$data/lighterman.ready" ]; then
        [ -s "$at/password" ] || (umask 077; head -c 24 /dev/urandom | base64 | tr -d '/+=' >"$at/password")
        find "$data" -mindepth 1 -delete 2>/dev/null || true
        local pw="$data.pw"; (umask 077; cat "$at/password" >"$pw"); [ "$(id -u)" = 0 ] && chown postgres: "$pw"
        as_pg "$bin/initdb" -D "$data" -U lighterman -A scram-sha-256 --pwfile="$pw" -E UTF8 --locale=C.UTF-8 >"$at/initdb.log" 2>&1 || fail "initdb failed; see $at/initdb.log."
        rm -f "$pw"
        as_pg touch "$data/lighterman.ready"
    fi
    if as_pg "$bin/pg_ctl" -D "$data" status >/dev/null 2>&1; then return 0; fi
    port=$(cat "$at/port" 2>/dev/null || free_port)
    if (exec 3<>"/dev/tcp/127.0.0.1/$port") 2>/dev/null; then port=$(free_port); fi
    printf '%s' "$port" >"$at/port"
    local set="-c listen_addresses=127.0.0.1 -c port=$port -c unix_socket_directories='' -c wal_level=logical -c max_connections=100 -c track_io_timing=off -c logging_collector=off -c log_min_messages=warning -c log_statement=none -c log_min_error_statement=panic"
    for s in "$@"; do set="$set -c $s"; done
    as_pg "$bin/pg_ctl" -D "$data" -w -t 60 -l "$data/server.log" -o "$set" start >/dev/null 2>&1 9>&- || fail "PostgreSQL did not start; see $data/server.log."
}

pg_stop() {
    local data; data=$(readlink -m "$1/data")
    [ -e "$data/postmaster.pid" ] && as_pg "$(pg_bin)/pg_ctl" -D "$data" -m fast -w stop >/dev/null 2>&1 || true
}

# MariaDB as root runs as the account its package made.
as_maria() {
    if [ "$(id -u)" = 0 ]; then setpriv --reuid=mysql --regid=mysql --clear-groups env HOME=/tmp "$@"; else "$@"; fi
}

# maria_start FOLDER [option ...] starts a MariaDB server on loopback with its data in FOLDER; prints nothing.
# FOLDER/port and FOLDER/password hold how to reach it as user lighterman.
maria_start() {
    local at=$1 port data; shift
    mkdir -p "$at"
    if [ "$(id -u)" = 0 ] && [ ! -e "$at/data" ] && ! { chown mysql: "$at" && as_maria test -w "$at"; } 2>/dev/null; then
        local away; away="/var/lib/lighterman/$(printf '%s' "$at" | cksum | tr -d ' ')"
        mkdir -p "$away" && chown mysql: "$away"
        ln -sfn "$away" "$at/data"
    fi
    data=$(readlink -m "$at/data")
    maria_running "$data" && return 0
    # A starting server removes temporary tables it takes for its own, so that two servers must not share a folder for them.
    local scratch="$data-scratch"
    mkdir -p "$scratch"
    [ "$(id -u)" != 0 ] || chown mysql: "$scratch"
    [ -s "$at/password" ] || (umask 077; head -c 24 /dev/urandom | base64 | tr -d '/+=\n' >"$at/password")
    if [ ! -e "$data/lighterman.ready" ]; then
        find "$data" -mindepth 1 -delete 2>/dev/null || true
        as_maria mariadb-install-db --no-defaults --datadir="$data" --tmpdir="$scratch" --auth-root-authentication-method=normal --skip-test-db >"$at/install.log" 2>&1 || fail "the MariaDB database could not be made; see $at/install.log."
        # The password goes through a file only the server's account can read, and every other account is removed.
        (umask 077; printf "DELETE FROM mysql.global_priv WHERE user <> 'mariadb.sys';\nFLUSH PRIVILEGES;\nCREATE USER lighterman@'127.0.0.1' IDENTIFIED BY '%s';\nGRANT ALL PRIVILEGES ON *.* TO lighterman@'127.0.0.1' WITH GRANT OPTION;\n" "$(cat "$at/password")" >"$data/first.sql")
        [ "$(id -u)" = 0 ] && chown mysql: "$data/first.sql"
        as_maria touch "$data/lighterman.ready"
    fi
    port=$(cat "$at/port" 2>/dev/null || free_port)
    if (exec 3<>"/dev/tcp/127.0.0.1/$port") 2>/dev/null; then port=$(free_port); fi
    printf '%s' "$port" >"$at/port"
    local first=(); [ -e "$data/first.sql" ] && first=(--init-file="$data/first.sql")
    as_maria setsid mariadbd --no-defaults --datadir="$data" --tmpdir="$scratch" --bind-address=127.0.0.1 --port="$port" --socket="$data/s.sock" --pid-file="$data/server.pid" --skip-name-resolve --character-set-server=utf8mb4 "${first[@]}" "$@" >>"$at/server.log" 2>&1 </dev/null 9>&- &
    for _ in $(seq 300); do
        # Only a login tells that it is this server which answers, and that it has read what comes first.
        if maria_running "$data" && MYSQL_PWD=$(cat "$at/password") mariadb --no-defaults -h 127.0.0.1 -P "$port" -u lighterman -e 'SELECT 1' >/dev/null 2>&1; then rm -f "$data/first.sql"; return 0; fi
        sleep 0.1
    done
    fail "MariaDB did not start; see $at/server.log."
}

maria_running() {
    local pid; pid=$(cat "$1/server.pid" 2>/dev/null) || return 1
    [ "$(cat "/proc/$pid/comm" 2>/dev/null)" = mariadbd ]
}

maria_stop() {
    local data; data=$(readlink -m "$1/data")
    maria_running "$data" || return 0
    local pid; pid=$(cat "$data/server.pid")
    kill -TERM "$pid" 2>/dev/null || true
    for _ in $(seq 300); do kill -0 "$pid" 2>/dev/null || return 0; sleep 0.1; done
}

# Processes of this checkout, by name, with their number in var/run/NAME.pid.

running() {
    local pid; pid=$(cat "$var/run/$1.pid" 2>/dev/null) || return 1
    [ -n "$pid" ] && kill -0 "$pid" 2>/dev/null && [ "$(readlink "/proc/$pid/cwd" 2>/dev/null)" = "$here" ]
}

start() {
    local name=$1; shift
    running "$name" && return 0
    setsid "$@" >>"$var/log/$name.log" 2>&1 </dev/null 9>&- &
    printf '%s' $! >"$var/run/$name.pid"
}

stop() {
    if running "$1"; then
        local pid; pid=$(cat "$var/run/$1.pid")
        kill -TERM -- "-$pid" 2>/dev/null || kill -TERM "$pid" 2>/dev/null || true
        for _ in $(seq 100); do kill -0 "$pid" 2>/dev/null || break; sleep 0.1; done
        kill -KILL -- "-$pid" 2>/dev/null || true
    fi
    rm -f "$var/run/$1.pid"
}

prepare_storage() {
    mkdir -p "$var/shared" "$var/storage/framework/views" "$var/storage/framework/cache" "$var/storage/logs"
}

secret() {
    local file="$var/run/secret.$1"
    [ -s "$file" ] || (umask 077; head -c 24 /dev/urandom | base64 | tr -d '/+=\n' >"$file")
    cat "$file"
}

# A password people can type: demo sign-ins only.
sign_in() {
    local file="$var/run/sign-in.$1"
    [ -s "$file" ] || (umask 077; printf '%s-%s' "$1" "$(head -c 9 /dev/urandom | base64 | tr -d '/+=\n' | tr '[:upper:]' '[:lower:]')" >"$file")
    cat "$file"
}

admin_psql() {
    PGPASSWORD=$(cat "$var/pg/password") psql -X -q -v ON_ERROR_STOP=1 -h 127.0.0.1 -p "$(cat "$var/pg/port")" -U lighterman "$@"
}

# The demo's databases and accounts; each step is skipped once it is done.
fill_demo() {
    admin_psql -d postgres -v reader="$(secret reader)" -v writer="$(secret writer)" -v gate="$(secret gate)" -f demo/accounts.sql
    local db
    for db in lighterman warehouse weighbridge; do
        [ -n "$(admin_psql -d postgres -Atc "SELECT 1 FROM pg_database WHERE datname = '$db'")" ] || admin_psql -d postgres -c "CREATE DATABASE $db"
    done
    admin_psql -d postgres -c 'GRANT CREATE, CONNECT ON DATABASE warehouse TO warehouse_writer' -c 'ALTER DATABASE weighbridge OWNER TO gate_desk' -c 'ALTER DATABASE weighbridge WITH ALLOW_CONNECTIONS true'
    if [ -z "$(admin_psql -d weighbridge -Atc "SELECT 1 FROM pg_tables WHERE tablename = 'price_bands'")" ]; then
        say "Filling the weighbridge ..."
        (echo 'SET ROLE gate_desk;'; cat demo/weighbridge.sql; echo 'GRANT SELECT ON ALL TABLES IN SCHEMA public TO weighbridge_reader;') | admin_psql -d weighbridge -1 -o /dev/null
    fi
    # The reader does not own the tables, so the publication is made for it, as the page would ask a database administrator to.
    [ -n "$(admin_psql -d weighbridge -Atc "SELECT 1 FROM pg_publication WHERE pubname = 'lighterman_weighbridge_warehouse'")" ] || admin_psql -d weighbridge \
        -c 'CREATE PUBLICATION lighterman_weighbridge_warehouse FOR TABLE growers, orchards, varieties, loads, load_samples, pressings, gate_log, price_bands WITH (publish_via_partition_root = true)' \
        -c 'CREATE PUBLICATION lighterman_weighbridge_lake FOR TABLE growers, orchards, varieties, loads, load_samples, pressings, gate_log, price_bands WITH (publish_via_partition_root = true)'
    # What the page asks for before changes of a table can be recorded by triggers.
    admin_psql -d weighbridge -c 'SET client_min_messages = warning' -c 'ALTER DATABASE weighbridge SET search_path = public' -c 'CREATE SCHEMA IF NOT EXISTS lighterman AUTHORIZATION weighbridge_reader' -c 'GRANT TRIGGER ON public.price_bands TO weighbridge_reader'
}

# The cellar's MariaDB, for those who ask for it.
fill_cellar() {
    # The last thing its script makes.
    [ -n "$(maria_sql -N -e "SELECT 1 FROM information_schema.EVENTS WHERE EVENT_NAME = 'cellar_work'")" ] && return 0
    say "Filling the cellar ..."
    printf "CREATE OR REPLACE USER cellar_reader@'127.0.0.1' IDENTIFIED BY '%s'; GRANT PROCESS ON *.* TO cellar_reader@'127.0.0.1'; GRANT SELECT, TRIGGER, CREATE, DROP, INSERT, UPDATE, DELETE ON cellar.* TO cellar_reader@'127.0.0.1';" "$(secret cellar)" | maria_sql
    (echo 'DROP DATABASE IF EXISTS cellar;'; cat demo/cellar.sql) | maria_sql
}

maria_sql() {
    MYSQL_PWD=$(cat "$var/maria/password") mariadb --no-defaults -h 127.0.0.1 -P "$(cat "$var/maria/port")" -u lighterman "$@"
}

write_env() {
    local key; key=$(grep -s '^APP_KEY=' "$var/.env" | cut -d= -f2-) || true
    [ -n "$key" ] || key="base64:$(head -c 32 /dev/urandom | base64)"
    (umask 077; printf 'APP_KEY=%s\nLIGHTERMAN_DB_PORT=%s\nLIGHTERMAN_DB_PASSWORD=%s\n' "$key" "$(cat "$var/pg/port")" "$(cat "$var/pg/password")" >"$var/.env.new")
    mv "$var/.env.new" "$var/.env"
}

# What the outside laboratory has left so far, and its archives of past harvests.
fill_lab_drop() {
    mkdir -p "$var/lab-drop"
    cp -Rn demo/lab-drop/. "$var/lab-drop/"
    php stand-ins/laboratory/laboratory.php "$var/lab-drop"
}

enter_demo() {
    printf '%s\n%s\n%s\n%s\n%s' "$(secret reader)" "$(secret writer)" "$(secret cellar)" "$(secret asker)" "$(cat "$var/pg/password")" | php bin/lighterman demo:systems --port="$(cat "$var/pg/port")" ${1:+--cellar-port="$(cat "$var/maria/port")"}
    if [ ! -e "$var/run/demo.done" ]; then
        local who
        for who in engineer viewer; do sign_in "$who" | php bin/lighterman person:add "$who" "$who" >/dev/null; done
        [ -n "$(php bin/lighterman feeds | grep 'warehouse' || true)" ] || { php bin/lighterman route:load demo/route.yaml && php bin/lighterman route:load demo/lake.yaml && php bin/lighterman route:load demo/laboratory.yaml; } >/dev/null
        touch "$var/run/demo.done"
    fi
    if [ -n "${1:-}" ] && [ ! -e "$var/run/cellar.done" ]; then
        php bin/lighterman route:load demo/cellar.yaml >/dev/null
        touch "$var/run/cellar.done"
    fi
}

# The lake in an object store, for those who ask for it.
enter_store() {
    [ -e "$var/run/store.done" ] && return 0
    local port; port=$(cat "$var/store/port")
    for _ in $(seq 100); do (exec 3<>"/dev/tcp/127.0.0.1/$port") 2>/dev/null && break; sleep 0.1; done
    secret store | php bin/lighterman system:add 'far lake' --kind=lake-store --endpoint="http://127.0.0.1:$port" --bucket=cider --prefix=lake --user=press >/dev/null
    php bin/lighterman system:check 'far lake' >/dev/null
    php bin/lighterman route:load demo/store.yaml >/dev/null
    touch "$var/run/store.done"
}

# Points the application at a throw-away server, for tests and benchmarks.
export_app_env() {
    local at=$1 key=$2
    [ -s "$key" ] || (umask 077; printf 'base64:%s' "$(head -c 32 /dev/urandom | base64)" >"$key")
    export APP_KEY LIGHTERMAN_DB_PORT LIGHTERMAN_DB_PASSWORD LIGHTERMAN_DB_NAME
    APP_KEY=$(cat "$key") LIGHTERMAN_DB_PORT=$(cat "$at/port") LIGHTERMAN_DB_PASSWORD=$(cat "$at/password") LIGHTERMAN_DB_NAME=${3:-lighterman}
}
