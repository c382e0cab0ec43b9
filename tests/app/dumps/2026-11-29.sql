CREATE TABLE public.audit_entries (
    id bigint NOT NULL,
    person character varying(60) NOT NULL,
    action character varying(60) NOT NULL,
    subject_kind character varying(30) NOT NULL,
    subject character varying(200) NOT NULL,
    before jsonb,
    after jsonb,
    at timestamp(6) with time zone NOT NULL
);
CREATE SEQUENCE public.audit_entries_id_seq
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1;
ALTER SEQUENCE public.audit_entries_id_seq OWNED BY public.audit_entries.id;
CREATE TABLE public.behind_fives (
    feed_id bigint NOT NULL,
    at timestamp(0) with time zone NOT NULL,
    seconds double precision NOT NULL
);
CREATE TABLE public.behind_minutes (
    feed_id bigint NOT NULL,
    minute timestamp(0) with time zone NOT NULL,
    seconds double precision NOT NULL,
    kept boolean NOT NULL
);
CREATE TABLE public.cache (
    key character varying(255) NOT NULL,
    value text NOT NULL,
    expiration integer NOT NULL
);
CREATE TABLE public.cache_locks (
    key character varying(255) NOT NULL,
    owner character varying(255) NOT NULL,
    expiration integer NOT NULL
);
CREATE TABLE public.carried_hours (
    feed_id bigint NOT NULL,
    hour timestamp(0) with time zone NOT NULL,
    rows bigint NOT NULL,
    set_aside bigint DEFAULT '0'::bigint NOT NULL
);
CREATE TABLE public.definitions (
    id bigint NOT NULL,
    feed_id bigint NOT NULL,
    version integer NOT NULL,
    body jsonb NOT NULL,
    person character varying(60) NOT NULL,
    created_at timestamp(6) with time zone NOT NULL
);
CREATE SEQUENCE public.definitions_id_seq
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1;
ALTER SEQUENCE public.definitions_id_seq OWNED BY public.definitions.id;
CREATE TABLE public.feeds (
    id bigint NOT NULL,
    uid uuid NOT NULL,
    route_id bigint NOT NULL,
    name character varying(119) NOT NULL,
    definition_id bigint,
    landed character varying(200) NOT NULL,
    capture character varying(20) NOT NULL,
    standing character varying(20) DEFAULT 'new'::character varying NOT NULL,
    paused_at timestamp(6) with time zone,
    cancel_asked boolean DEFAULT false NOT NULL,
    promise_seconds integer NOT NULL,
    "position" jsonb,
    sequence bigint DEFAULT '0'::bigint NOT NULL,
    note jsonb,
    complete_up_to timestamp(6) with time zone,
    due_at timestamp(6) with time zone,
    why character varying(20),
    progress jsonb,
    trouble jsonb,
    failures integer DEFAULT 0 NOT NULL,
    last_run_id bigint,
    last_landed_at timestamp(6) with time zone,
    created_at timestamp(6) with time zone,
    updated_at timestamp(6) with time zone,
    reload jsonb,
    emptied character varying(10),
    waiting bigint DEFAULT '0'::bigint NOT NULL,
    gap jsonb,
    join_asked boolean DEFAULT false NOT NULL,
    identity jsonb,
    rereads jsonb
);
CREATE SEQUENCE public.feeds_id_seq
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1;
ALTER SEQUENCE public.feeds_id_seq OWNED BY public.feeds.id;
CREATE TABLE public.latency_minutes (
    feed_id bigint NOT NULL,
    minute timestamp(0) with time zone NOT NULL,
    histogram jsonb NOT NULL,
    changes bigint NOT NULL,
    reading_ms double precision DEFAULT '0'::double precision NOT NULL,
    treating_ms double precision DEFAULT '0'::double precision NOT NULL,
    landing_ms double precision DEFAULT '0'::double precision NOT NULL
);
CREATE TABLE public.leases (
    feed_id bigint NOT NULL,
    worker character varying(120) NOT NULL,
    token bigint NOT NULL,
    expires_at timestamp(6) with time zone NOT NULL
);
CREATE TABLE public.mask_keys (
    name character varying(40) NOT NULL,
    secret text NOT NULL,
    created_at timestamp(6) with time zone NOT NULL
);
CREATE TABLE public.migrations (
    id integer NOT NULL,
    migration character varying(255) NOT NULL,
    batch integer NOT NULL
);
CREATE SEQUENCE public.migrations_id_seq
    AS integer
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1;
ALTER SEQUENCE public.migrations_id_seq OWNED BY public.migrations.id;
CREATE TABLE public.people (
    id bigint NOT NULL,
    name character varying(60) NOT NULL,
    password character varying(255) NOT NULL,
    role character varying(20) NOT NULL,
    zone character varying(60) DEFAULT 'UTC'::character varying NOT NULL,
    remember_token character varying(100),
    created_at timestamp(6) with time zone,
    updated_at timestamp(6) with time zone,
    sees_personal boolean DEFAULT false NOT NULL
);
CREATE SEQUENCE public.people_id_seq
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1;
ALTER SEQUENCE public.people_id_seq OWNED BY public.people.id;
CREATE TABLE public.receipts (
    id bigint NOT NULL,
    feed_id bigint NOT NULL,
    sequence bigint NOT NULL,
    run_id bigint NOT NULL,
    from_position jsonb NOT NULL,
    to_position jsonb NOT NULL,
    read bigint NOT NULL,
    inserted bigint NOT NULL,
    updated bigint NOT NULL,
    unchanged bigint NOT NULL,
    deleted bigint NOT NULL,
    dropped bigint NOT NULL,
    set_aside bigint NOT NULL,
    bytes bigint NOT NULL,
    checksum character varying(64) NOT NULL,
    source_time character varying(40),
    landed_at timestamp(6) with time zone NOT NULL,
    superseded bigint DEFAULT '0'::bigint NOT NULL
);
CREATE SEQUENCE public.receipts_id_seq
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1;
ALTER SEQUENCE public.receipts_id_seq OWNED BY public.receipts.id;
CREATE TABLE public.route_logs (
    id bigint NOT NULL,
    uid uuid NOT NULL,
    route_id bigint NOT NULL,
    slot character varying(63) NOT NULL,
    publication character varying(63) NOT NULL,
    standing character varying(20) DEFAULT 'new'::character varying NOT NULL,
    trouble jsonb,
    findings jsonb,
    checked_at timestamp(6) with time zone,
    anew_asked boolean DEFAULT false NOT NULL,
    read_to bigint DEFAULT '0'::bigint NOT NULL,
    complete_up_to timestamp(6) with time zone,
    retained_bytes bigint DEFAULT '0'::bigint NOT NULL,
    waiting_bytes bigint DEFAULT '0'::bigint NOT NULL,
    clock_ahead_us bigint DEFAULT '0'::bigint NOT NULL,
    clock_uncertain_us bigint,
    warn_bytes bigint DEFAULT '500000000'::bigint NOT NULL,
    spool_bytes bigint DEFAULT '1000000000'::bigint NOT NULL,
    drop_bytes bigint,
    failures integer DEFAULT 0 NOT NULL,
    due_at timestamp(6) with time zone,
    worker character varying(120),
    token bigint DEFAULT '0'::bigint NOT NULL,
    expires_at timestamp(6) with time zone,
    created_at timestamp(6) with time zone,
    updated_at timestamp(6) with time zone,
    capture character varying(20) DEFAULT 'log'::character varying NOT NULL
);
CREATE SEQUENCE public.route_logs_id_seq
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1;
ALTER SEQUENCE public.route_logs_id_seq OWNED BY public.route_logs.id;
CREATE TABLE public.routes (
    id bigint NOT NULL,
    name character varying(120) NOT NULL,
    source_id bigint NOT NULL,
    target_id bigint NOT NULL,
    created_at timestamp(6) with time zone,
    updated_at timestamp(6) with time zone
);
CREATE SEQUENCE public.routes_id_seq
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1;
ALTER SEQUENCE public.routes_id_seq OWNED BY public.routes.id;
CREATE TABLE public.run_lines (
    id bigint NOT NULL,
    run_id bigint NOT NULL,
    at timestamp(6) with time zone NOT NULL,
    level character varying(10) NOT NULL,
    said text NOT NULL
);
CREATE SEQUENCE public.run_lines_id_seq
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1;
ALTER SEQUENCE public.run_lines_id_seq OWNED BY public.run_lines.id;
CREATE TABLE public.running_queries (
    id uuid NOT NULL,
    person_id bigint NOT NULL,
    stop_asked boolean DEFAULT false NOT NULL,
    started_at timestamp(6) with time zone NOT NULL
);
CREATE TABLE public.runs (
    id bigint NOT NULL,
    feed_id bigint NOT NULL,
    definition_id bigint NOT NULL,
    kind character varying(20) NOT NULL,
    state character varying(20) NOT NULL,
    why character varying(20) NOT NULL,
    worker character varying(120) NOT NULL,
    window_from text,
    window_to text,
    read bigint DEFAULT '0'::bigint NOT NULL,
    inserted bigint DEFAULT '0'::bigint NOT NULL,
    updated bigint DEFAULT '0'::bigint NOT NULL,
    unchanged bigint DEFAULT '0'::bigint NOT NULL,
    deleted bigint DEFAULT '0'::bigint NOT NULL,
    dropped bigint DEFAULT '0'::bigint NOT NULL,
    set_aside bigint DEFAULT '0'::bigint NOT NULL,
    bytes bigint DEFAULT '0'::bigint NOT NULL,
    batches bigint DEFAULT '0'::bigint NOT NULL,
    reading_ms double precision DEFAULT '0'::double precision NOT NULL,
    treating_ms double precision DEFAULT '0'::double precision NOT NULL,
    landing_ms double precision DEFAULT '0'::double precision NOT NULL,
    empty_runs integer DEFAULT 0 NOT NULL,
    trouble jsonb,
    started_at timestamp(6) with time zone NOT NULL,
    ended_at timestamp(6) with time zone,
    superseded bigint DEFAULT '0'::bigint NOT NULL,
    warned bigint DEFAULT '0'::bigint NOT NULL
);
CREATE SEQUENCE public.runs_id_seq
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1;
ALTER SEQUENCE public.runs_id_seq OWNED BY public.runs.id;
CREATE TABLE public.saved_queries (
    id bigint NOT NULL,
    name character varying(120) NOT NULL,
    target character varying(60) NOT NULL,
    sql text NOT NULL,
    person_id bigint NOT NULL,
    created_at timestamp(6) with time zone,
    updated_at timestamp(6) with time zone
);
CREATE SEQUENCE public.saved_queries_id_seq
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1;
ALTER SEQUENCE public.saved_queries_id_seq OWNED BY public.saved_queries.id;
CREATE TABLE public.sessions (
    id character varying(255) NOT NULL,
    user_id bigint,
    ip_address character varying(45),
    user_agent text,
    payload text NOT NULL,
    last_activity integer NOT NULL
);
CREATE TABLE public.set_aside (
    id bigint NOT NULL,
    feed_id bigint NOT NULL,
    definition_id bigint NOT NULL,
    run_id bigint NOT NULL,
    sequence bigint NOT NULL,
    "position" text NOT NULL,
    lsn bigint,
    number integer DEFAULT 0 NOT NULL,
    kind character varying(10) NOT NULL,
    made_at bigint,
    step character varying(300) NOT NULL,
    reason character varying(40) NOT NULL,
    message text NOT NULL,
    key text NOT NULL,
    key_hash character varying(32) NOT NULL,
    record json NOT NULL,
    sealed text NOT NULL,
    at_step json NOT NULL,
    state character varying(12) DEFAULT 'waiting'::character varying NOT NULL,
    overtaken_by bigint,
    sent_by bigint,
    edited boolean DEFAULT false NOT NULL,
    note text,
    person character varying(60),
    at timestamp(6) with time zone NOT NULL,
    settled_at timestamp(6) with time zone
);
CREATE SEQUENCE public.set_aside_id_seq
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1;
ALTER SEQUENCE public.set_aside_id_seq OWNED BY public.set_aside.id;
CREATE TABLE public.spool (
    feed_id bigint NOT NULL,
    lsn bigint NOT NULL,
    part integer NOT NULL,
    committed_at bigint NOT NULL,
    changes integer NOT NULL,
    body bytea NOT NULL
);
CREATE TABLE public.systems (
    id bigint NOT NULL,
    name character varying(60) NOT NULL,
    kind character varying(20) NOT NULL,
    settings jsonb NOT NULL,
    secret text,
    findings jsonb,
    checked_at timestamp(6) with time zone,
    created_at timestamp(6) with time zone,
    updated_at timestamp(6) with time zone
);
CREATE SEQUENCE public.systems_id_seq
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1;
ALTER SEQUENCE public.systems_id_seq OWNED BY public.systems.id;
CREATE TABLE public.taken_files (
    id bigint NOT NULL,
    feed_id bigint NOT NULL,
    path text NOT NULL,
    size bigint NOT NULL,
    modified character varying(30) NOT NULL,
    checksum character varying(32),
    rows bigint NOT NULL,
    set_aside bigint NOT NULL,
    sequence bigint NOT NULL,
    landed_at timestamp(6) with time zone NOT NULL
);
CREATE SEQUENCE public.taken_files_id_seq
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1;
ALTER SEQUENCE public.taken_files_id_seq OWNED BY public.taken_files.id;
CREATE TABLE public.tides (
    feed_id bigint NOT NULL,
    step smallint NOT NULL,
    at timestamp(0) with time zone NOT NULL,
    committed bigint DEFAULT '0'::bigint NOT NULL,
    delivered bigint DEFAULT '0'::bigint NOT NULL
);
CREATE TABLE public.treatment_drafts (
    feed_id bigint NOT NULL,
    body jsonb NOT NULL,
    person character varying(60) NOT NULL,
    updated_at timestamp(6) with time zone NOT NULL
);
CREATE TABLE public.watched_hours (
    feed_id bigint NOT NULL,
    name character varying(80) NOT NULL,
    hour timestamp(0) with time zone NOT NULL,
    landed bigint NOT NULL,
    matched bigint NOT NULL
);
CREATE TABLE public.watched_samples (
    id bigint NOT NULL,
    feed_id bigint NOT NULL,
    name character varying(80) NOT NULL,
    record json NOT NULL,
    at timestamp(6) with time zone NOT NULL
);
CREATE SEQUENCE public.watched_samples_id_seq
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1;
ALTER SEQUENCE public.watched_samples_id_seq OWNED BY public.watched_samples.id;
ALTER TABLE ONLY public.audit_entries ALTER COLUMN id SET DEFAULT nextval('public.audit_entries_id_seq'::regclass);
ALTER TABLE ONLY public.definitions ALTER COLUMN id SET DEFAULT nextval('public.definitions_id_seq'::regclass);
ALTER TABLE ONLY public.feeds ALTER COLUMN id SET DEFAULT nextval('public.feeds_id_seq'::regclass);
ALTER TABLE ONLY public.migrations ALTER COLUMN id SET DEFAULT nextval('public.migrations_id_seq'::regclass);
ALTER TABLE ONLY public.people ALTER COLUMN id SET DEFAULT nextval('public.people_id_seq'::regclass);
ALTER TABLE ONLY public.receipts ALTER COLUMN id SET DEFAULT nextval('public.receipts_id_seq'::regclass);
ALTER TABLE ONLY public.route_logs ALTER COLUMN id SET DEFAULT nextval('public.route_logs_id_seq'::regclass);
ALTER TABLE ONLY public.routes ALTER COLUMN id SET DEFAULT nextval('public.routes_id_seq'::regclass);
ALTER TABLE ONLY public.run_lines ALTER COLUMN id SET DEFAULT nextval('public.run_lines_id_seq'::regclass);
ALTER TABLE ONLY public.runs ALTER COLUMN id SET DEFAULT nextval('public.runs_id_seq'::regclass);
ALTER TABLE ONLY public.saved_queries ALTER COLUMN id SET DEFAULT nextval('public.saved_queries_id_seq'::regclass);
ALTER TABLE ONLY public.set_aside ALTER COLUMN id SET DEFAULT nextval('public.set_aside_id_seq'::regclass);
ALTER TABLE ONLY public.systems ALTER COLUMN id SET DEFAULT nextval('public.systems_id_seq'::regclass);
ALTER TABLE ONLY public.taken_files ALTER COLUMN id SET DEFAULT nextval('public.taken_files_id_seq'::regclass);
ALTER TABLE ONLY public.watched_samples ALTER COLUMN id SET DEFAULT nextval('public.watched_samples_id_seq'::regclass);
INSERT INTO public.definitions VALUES (1, 1, 1, '{}', 'test', '2026-11-30 08:03:05.944493+00');
INSERT INTO public.feeds VALUES (2, 'aaaaaaaa-0000-0000-0000-000000000002', 1, 'bands', NULL, 'copy.bands', 'trigger', 'carried', NULL, false, 60, '{"phase": "log", "place": "3/3"}', 5, NULL, NULL, NULL, NULL, NULL, NULL, 0, NULL, NULL, NULL, NULL, NULL, NULL, 0, NULL, false, NULL, NULL);
INSERT INTO public.feeds VALUES (3, 'aaaaaaaa-0000-0000-0000-000000000003', 1, 'presses', NULL, 'copy.presses', 'watermark', 'carried', NULL, false, 60, '{"key": [], "phase": "after", "watermark": "2026-11-01 00:00:00+00"}', 3, NULL, NULL, NULL, NULL, NULL, NULL, 0, NULL, NULL, NULL, NULL, NULL, NULL, 0, NULL, false, NULL, NULL);
INSERT INTO public.feeds VALUES (1, 'aaaaaaaa-0000-0000-0000-000000000001', 1, 'loads', 1, 'copy.loads', 'log', 'carried', NULL, false, 60, '{"phase": "log", "place": "1/C0000044"}', 12, NULL, NULL, NULL, NULL, NULL, NULL, 0, NULL, NULL, NULL, NULL, NULL, NULL, 0, NULL, false, NULL, NULL);
INSERT INTO public.leases VALUES (3, 'barn:4712', 41, '2026-11-29 10:00:00+00');
INSERT INTO public.migrations VALUES (1, '2026_11_01_000000_create_tables', 1);
INSERT INTO public.migrations VALUES (2, '2026_11_23_000000_create_log_tables', 1);
INSERT INTO public.migrations VALUES (3, '2026_11_23_120000_allow_other_changes', 1);
INSERT INTO public.migrations VALUES (4, '2026_11_24_000000_create_set_aside', 1);
INSERT INTO public.migrations VALUES (5, '2026_11_24_000001_create_treatment_drafts', 1);
INSERT INTO public.migrations VALUES (6, '2026_11_24_000002_create_watch_rules', 1);
INSERT INTO public.migrations VALUES (7, '2026_11_24_000003_allow_seeing_personal_data', 1);
INSERT INTO public.migrations VALUES (8, '2026_11_24_100000_create_taken_files', 1);
INSERT INTO public.migrations VALUES (9, '2026_11_27_000000_create_queries', 1);
INSERT INTO public.migrations VALUES (10, '2026_11_28_000000_ask_for_joining', 1);
INSERT INTO public.migrations VALUES (11, '2026_11_28_100000_remember_identities', 1);
INSERT INTO public.route_logs VALUES (1, '11111111-1111-1111-1111-111111111111', 1, 'lighterman_gate_house_11111111', 'lighterman_gate_house', 'new', NULL, NULL, NULL, false, 7516192900, NULL, 0, 0, 0, NULL, 500000000, 1000000000, NULL, 0, '2026-11-30 08:03:05.597135+00', 'barn:4711', 9, '2026-11-30 08:03:05.597135+00', NULL, NULL, 'log');
INSERT INTO public.route_logs VALUES (2, '22222222-2222-2222-2222-222222222222', 1, 'lighterman_5f0c1d2e', '', 'new', NULL, NULL, NULL, false, 12884901891, NULL, 0, 0, 0, NULL, 500000000, 1000000000, NULL, 0, '2026-11-30 08:03:05.597135+00', NULL, 0, NULL, NULL, NULL, 'trigger');
INSERT INTO public.routes VALUES (1, 'gate → house', 1, 2, NULL, NULL);
INSERT INTO public.runs VALUES (1, 1, 1, 'log', 'running', 'log', 'barn:4711', NULL, NULL, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, NULL, '2026-11-29 10:00:00+00', NULL, 0, 0);
INSERT INTO public.set_aside VALUES (1, 1, 1, 1, 12, '1/C0000044', 7516192836, 3, 'update', 1764000000000000, 's', 'r', 'm', 'k', 'h', '{}', '', '[]', 'waiting', NULL, NULL, false, NULL, NULL, '2026-11-29 10:00:00+00', NULL);
INSERT INTO public.set_aside VALUES (2, 1, 1, 1, 12, 'after 2026-11-01', NULL, 0, 'row', NULL, 's', 'r', 'm', 'k', 'h2', '{}', '', '[]', 'waiting', NULL, NULL, false, NULL, NULL, '2026-11-29 10:00:00+00', NULL);
INSERT INTO public.spool VALUES (1, 7516192999, 1, 1764000000000001, 2, '\x02');
INSERT INTO public.spool VALUES (1, 7516192999, 0, 1764000000000001, 1000, '\x01');
INSERT INTO public.spool VALUES (1, 7516192950, 0, 1764000000000000, 1, '\x00');
INSERT INTO public.spool VALUES (2, 12884901892, 0, 1764000000000002, 7, '\x03');
INSERT INTO public.systems VALUES (1, 'gate', 'postgres', '{"tls": "prefer", "host": "127.0.0.1", "port": 5432, "user": "reader", "database": "gate"}', 'x', NULL, NULL, NULL, NULL);
INSERT INTO public.systems VALUES (2, 'house', 'postgres', '{"tls": "prefer", "host": "127.0.0.1", "port": 5432, "user": "writer", "database": "house"}', 'x', NULL, NULL, NULL, NULL);
SELECT pg_catalog.setval('public.audit_entries_id_seq', 1, false);
SELECT pg_catalog.setval('public.definitions_id_seq', 1, false);
SELECT pg_catalog.setval('public.feeds_id_seq', 1, false);
SELECT pg_catalog.setval('public.migrations_id_seq', 11, true);
SELECT pg_catalog.setval('public.people_id_seq', 1, false);
SELECT pg_catalog.setval('public.receipts_id_seq', 1, false);
SELECT pg_catalog.setval('public.route_logs_id_seq', 1, false);
SELECT pg_catalog.setval('public.routes_id_seq', 1, false);
SELECT pg_catalog.setval('public.run_lines_id_seq', 1, false);
SELECT pg_catalog.setval('public.runs_id_seq', 1, false);
SELECT pg_catalog.setval('public.saved_queries_id_seq', 1, false);
SELECT pg_catalog.setval('public.set_aside_id_seq', 2, true);
SELECT pg_catalog.setval('public.systems_id_seq', 1, false);
SELECT pg_catalog.setval('public.taken_files_id_seq', 1, false);
SELECT pg_catalog.setval('public.watched_samples_id_seq', 1, false);
ALTER TABLE ONLY public.audit_entries
    ADD CONSTRAINT audit_entries_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.behind_fives
    ADD CONSTRAINT behind_fives_pkey PRIMARY KEY (feed_id, at);
ALTER TABLE ONLY public.behind_minutes
    ADD CONSTRAINT behind_minutes_pkey PRIMARY KEY (feed_id, minute);
ALTER TABLE ONLY public.cache_locks
    ADD CONSTRAINT cache_locks_pkey PRIMARY KEY (key);
ALTER TABLE ONLY public.cache
    ADD CONSTRAINT cache_pkey PRIMARY KEY (key);
ALTER TABLE ONLY public.carried_hours
    ADD CONSTRAINT carried_hours_pkey PRIMARY KEY (feed_id, hour);
ALTER TABLE ONLY public.definitions
    ADD CONSTRAINT definitions_feed_id_version_unique UNIQUE (feed_id, version);
ALTER TABLE ONLY public.definitions
    ADD CONSTRAINT definitions_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.feeds
    ADD CONSTRAINT feeds_name_unique UNIQUE (name);
ALTER TABLE ONLY public.feeds
    ADD CONSTRAINT feeds_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.feeds
    ADD CONSTRAINT feeds_uid_unique UNIQUE (uid);
ALTER TABLE ONLY public.latency_minutes
    ADD CONSTRAINT latency_minutes_pkey PRIMARY KEY (feed_id, minute);
ALTER TABLE ONLY public.leases
    ADD CONSTRAINT leases_pkey PRIMARY KEY (feed_id);
ALTER TABLE ONLY public.mask_keys
    ADD CONSTRAINT mask_keys_pkey PRIMARY KEY (name);
ALTER TABLE ONLY public.migrations
    ADD CONSTRAINT migrations_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.people
    ADD CONSTRAINT people_name_unique UNIQUE (name);
ALTER TABLE ONLY public.people
    ADD CONSTRAINT people_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.receipts
    ADD CONSTRAINT receipts_feed_id_sequence_unique UNIQUE (feed_id, sequence);
ALTER TABLE ONLY public.receipts
    ADD CONSTRAINT receipts_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.route_logs
    ADD CONSTRAINT route_logs_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.route_logs
    ADD CONSTRAINT route_logs_route_id_capture_unique UNIQUE (route_id, capture);
ALTER TABLE ONLY public.route_logs
    ADD CONSTRAINT route_logs_uid_unique UNIQUE (uid);
ALTER TABLE ONLY public.routes
    ADD CONSTRAINT routes_name_unique UNIQUE (name);
ALTER TABLE ONLY public.routes
    ADD CONSTRAINT routes_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.routes
    ADD CONSTRAINT routes_source_id_target_id_unique UNIQUE (source_id, target_id);
ALTER TABLE ONLY public.run_lines
    ADD CONSTRAINT run_lines_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.running_queries
    ADD CONSTRAINT running_queries_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.runs
    ADD CONSTRAINT runs_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.saved_queries
    ADD CONSTRAINT saved_queries_name_unique UNIQUE (name);
ALTER TABLE ONLY public.saved_queries
    ADD CONSTRAINT saved_queries_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.sessions
    ADD CONSTRAINT sessions_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.set_aside
    ADD CONSTRAINT set_aside_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.spool
    ADD CONSTRAINT spool_pkey PRIMARY KEY (feed_id, lsn, part);
ALTER TABLE ONLY public.systems
    ADD CONSTRAINT systems_name_unique UNIQUE (name);
ALTER TABLE ONLY public.systems
    ADD CONSTRAINT systems_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.taken_files
    ADD CONSTRAINT taken_files_feed_id_path_unique UNIQUE (feed_id, path);
ALTER TABLE ONLY public.taken_files
    ADD CONSTRAINT taken_files_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.tides
    ADD CONSTRAINT tides_pkey PRIMARY KEY (feed_id, step, at);
ALTER TABLE ONLY public.treatment_drafts
    ADD CONSTRAINT treatment_drafts_pkey PRIMARY KEY (feed_id);
ALTER TABLE ONLY public.watched_hours
    ADD CONSTRAINT watched_hours_pkey PRIMARY KEY (feed_id, name, hour);
ALTER TABLE ONLY public.watched_samples
    ADD CONSTRAINT watched_samples_pkey PRIMARY KEY (id);
CREATE INDEX audit_entries_at_index ON public.audit_entries USING btree (at);
CREATE INDEX behind_fives_at_index ON public.behind_fives USING btree (at);
CREATE INDEX behind_minutes_minute_index ON public.behind_minutes USING btree (minute);
CREATE INDEX cache_expiration_index ON public.cache USING btree (expiration);
CREATE INDEX carried_hours_hour_index ON public.carried_hours USING btree (hour);
CREATE INDEX feeds_due_at_index ON public.feeds USING btree (due_at);
CREATE INDEX latency_minutes_minute_index ON public.latency_minutes USING btree (minute);
CREATE INDEX receipts_landed_at_index ON public.receipts USING btree (landed_at);
CREATE INDEX receipts_run_id_index ON public.receipts USING btree (run_id);
CREATE INDEX run_lines_run_id_index ON public.run_lines USING btree (run_id);
CREATE INDEX runs_feed_id_id_index ON public.runs USING btree (feed_id, id);
CREATE INDEX runs_started_at_index ON public.runs USING btree (started_at);
CREATE INDEX sessions_last_activity_index ON public.sessions USING btree (last_activity);
CREATE INDEX sessions_user_id_index ON public.sessions USING btree (user_id);
CREATE INDEX set_aside_feed_id_key_hash_index ON public.set_aside USING btree (feed_id, key_hash);
CREATE INDEX set_aside_feed_id_state_reason_index ON public.set_aside USING btree (feed_id, state, reason);
CREATE INDEX set_aside_run_id_index ON public.set_aside USING btree (run_id);
CREATE INDEX set_aside_state_at_index ON public.set_aside USING btree (state, at);
CREATE INDEX set_aside_waiting ON public.set_aside USING btree (feed_id, sequence) WHERE (((state)::text = 'waiting'::text) AND (overtaken_by IS NULL));
CREATE INDEX taken_files_feed_id_landed_at_index ON public.taken_files USING btree (feed_id, landed_at);
CREATE INDEX tides_step_at_index ON public.tides USING btree (step, at);
CREATE INDEX watched_hours_hour_index ON public.watched_hours USING btree (hour);
CREATE INDEX watched_samples_feed_id_name_id_index ON public.watched_samples USING btree (feed_id, name, id);
ALTER TABLE ONLY public.feeds
    ADD CONSTRAINT "1" FOREIGN KEY (route_id) REFERENCES public.routes(id);
ALTER TABLE ONLY public.behind_fives
    ADD CONSTRAINT behind_fives_feed_id_foreign FOREIGN KEY (feed_id) REFERENCES public.feeds(id) ON DELETE CASCADE;
ALTER TABLE ONLY public.behind_minutes
    ADD CONSTRAINT behind_minutes_feed_id_foreign FOREIGN KEY (feed_id) REFERENCES public.feeds(id) ON DELETE CASCADE;
ALTER TABLE ONLY public.carried_hours
    ADD CONSTRAINT carried_hours_feed_id_foreign FOREIGN KEY (feed_id) REFERENCES public.feeds(id) ON DELETE CASCADE;
ALTER TABLE ONLY public.definitions
    ADD CONSTRAINT definitions_feed_id_foreign FOREIGN KEY (feed_id) REFERENCES public.feeds(id) ON DELETE CASCADE;
ALTER TABLE ONLY public.latency_minutes
    ADD CONSTRAINT latency_minutes_feed_id_foreign FOREIGN KEY (feed_id) REFERENCES public.feeds(id) ON DELETE CASCADE;
ALTER TABLE ONLY public.leases
    ADD CONSTRAINT leases_feed_id_foreign FOREIGN KEY (feed_id) REFERENCES public.feeds(id) ON DELETE CASCADE;
ALTER TABLE ONLY public.receipts
    ADD CONSTRAINT receipts_feed_id_foreign FOREIGN KEY (feed_id) REFERENCES public.feeds(id) ON DELETE CASCADE;
ALTER TABLE ONLY public.route_logs
    ADD CONSTRAINT route_logs_route_id_foreign FOREIGN KEY (route_id) REFERENCES public.routes(id) ON DELETE CASCADE;
ALTER TABLE ONLY public.routes
    ADD CONSTRAINT routes_source_id_foreign FOREIGN KEY (source_id) REFERENCES public.systems(id);
ALTER TABLE ONLY public.routes
    ADD CONSTRAINT routes_target_id_foreign FOREIGN KEY (target_id) REFERENCES public.systems(id);
ALTER TABLE ONLY public.run_lines
    ADD CONSTRAINT run_lines_run_id_foreign FOREIGN KEY (run_id) REFERENCES public.runs(id) ON DELETE CASCADE;
ALTER TABLE ONLY public.running_queries
    ADD CONSTRAINT running_queries_person_id_foreign FOREIGN KEY (person_id) REFERENCES public.people(id) ON DELETE CASCADE;
ALTER TABLE ONLY public.runs
    ADD CONSTRAINT runs_definition_id_foreign FOREIGN KEY (definition_id) REFERENCES public.definitions(id) ON DELETE CASCADE;
ALTER TABLE ONLY public.runs
    ADD CONSTRAINT runs_feed_id_foreign FOREIGN KEY (feed_id) REFERENCES public.feeds(id) ON DELETE CASCADE;
ALTER TABLE ONLY public.saved_queries
    ADD CONSTRAINT saved_queries_person_id_foreign FOREIGN KEY (person_id) REFERENCES public.people(id) ON DELETE CASCADE;
ALTER TABLE ONLY public.set_aside
    ADD CONSTRAINT set_aside_definition_id_foreign FOREIGN KEY (definition_id) REFERENCES public.definitions(id) ON DELETE CASCADE;
ALTER TABLE ONLY public.set_aside
    ADD CONSTRAINT set_aside_feed_id_foreign FOREIGN KEY (feed_id) REFERENCES public.feeds(id) ON DELETE CASCADE;
ALTER TABLE ONLY public.spool
    ADD CONSTRAINT spool_feed_id_foreign FOREIGN KEY (feed_id) REFERENCES public.feeds(id) ON DELETE CASCADE;
ALTER TABLE ONLY public.taken_files
    ADD CONSTRAINT taken_files_feed_id_foreign FOREIGN KEY (feed_id) REFERENCES public.feeds(id) ON DELETE CASCADE;
ALTER TABLE ONLY public.tides
    ADD CONSTRAINT tides_feed_id_foreign FOREIGN KEY (feed_id) REFERENCES public.feeds(id) ON DELETE CASCADE;
ALTER TABLE ONLY public.treatment_drafts
    ADD CONSTRAINT treatment_drafts_feed_id_foreign FOREIGN KEY (feed_id) REFERENCES public.feeds(id) ON DELETE CASCADE;
ALTER TABLE ONLY public.watched_hours
    ADD CONSTRAINT watched_hours_feed_id_foreign FOREIGN KEY (feed_id) REFERENCES public.feeds(id) ON DELETE CASCADE;
ALTER TABLE ONLY public.watched_samples
    ADD CONSTRAINT watched_samples_feed_id_foreign FOREIGN KEY (feed_id) REFERENCES public.feeds(id) ON DELETE CASCADE;
