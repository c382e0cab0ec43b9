<?php

declare(strict_types=1);

use Illuminate\Database\Migrations\Migration;
use Illuminate\Support\Facades\DB;

/** Entries of the audit trail are sealed as they are committed, each over the one before, and neither altered nor removed. */
return new class extends Migration
{
    public function up(): void
    {
        DB::unprepared(<<<'SQL'
            ALTER TABLE audit_entries ADD COLUMN place bigint UNIQUE, ADD COLUMN hash text;

            CREATE FUNCTION audit_line(e audit_entries) RETURNS text LANGUAGE sql STABLE AS $$
                SELECT concat_ws(E'\x1f', e.id, e.person, e.action, e.subject_kind, e.subject, coalesce(e.before::text, ''), coalesce(e.after::text, ''), to_char(e.at AT TIME ZONE 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS.US'))
            $$;
            CREATE FUNCTION audit_hash(before text, place bigint, e audit_entries) RETURNS text LANGUAGE sql STABLE AS $$
                SELECT encode(sha256(convert_to(concat_ws(E'\x1f', coalesce(before, ''), place, audit_line(e)), 'UTF8')), 'hex')
            $$;

            -- At the end of its transaction, so that nobody who waits for it holds what another wants.
            CREATE FUNCTION audit_seal() RETURNS trigger LANGUAGE plpgsql AS $$
            DECLARE last record;
            BEGIN
                PERFORM pg_advisory_xact_lock(hashtext('audit_entries'));
                SELECT e.place, e.hash INTO last FROM audit_entries e WHERE e.place IS NOT NULL ORDER BY e.place DESC LIMIT 1;
                UPDATE audit_entries e SET place = coalesce(last.place, 0) + 1, hash = audit_hash(last.hash, coalesce(last.place, 0) + 1, e) WHERE e.id = NEW.id AND e.hash IS NULL;
                RETURN NULL;
            END $$;
            CREATE FUNCTION audit_refuse() RETURNS trigger LANGUAGE plpgsql AS $$
            BEGIN
                IF TG_OP = 'UPDATE' THEN
                    IF OLD.hash IS NULL AND NEW.hash IS NOT NULL AND audit_line(OLD) = audit_line(NEW) THEN
                        RETURN NEW;
                    END IF;
                END IF;
                RAISE EXCEPTION 'Entries of the audit trail are neither altered nor removed.';
            END $$;

            DO $$
            DECLARE e audit_entries; n bigint := 0; was text;
            BEGIN
                FOR e IN SELECT * FROM audit_entries ORDER BY id LOOP
                    n := n + 1;
                    was := audit_hash(was, n, e);
                    UPDATE audit_entries SET place = n, hash = was WHERE id = e.id;
                END LOOP;
            END $$;

            CREATE CONSTRAINT TRIGGER audit_seal AFTER INSERT ON audit_entries DEFERRABLE INITIALLY DEFERRED FOR EACH ROW EXECUTE FUNCTION audit_seal();
            CREATE TRIGGER audit_keep BEFORE UPDATE OR DELETE ON audit_entries FOR EACH ROW EXECUTE FUNCTION audit_refuse();
            CREATE TRIGGER audit_keep_all BEFORE TRUNCATE ON audit_entries FOR EACH STATEMENT EXECUTE FUNCTION audit_refuse();
            SQL);
    }

    public function down(): void
    {
        DB::unprepared(<<<'SQL'
            DROP TRIGGER audit_seal ON audit_entries;
            DROP TRIGGER audit_keep ON audit_entries;
            DROP TRIGGER audit_keep_all ON audit_entries;
            DROP FUNCTION audit_seal(), audit_refuse(), audit_hash(text, bigint, audit_entries), audit_line(audit_entries);
            ALTER TABLE audit_entries DROP COLUMN place, DROP COLUMN hash;
            SQL);
    }
};
