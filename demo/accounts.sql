-- Accounts of the demo. Passwords come in as psql variables.
SELECT NOT EXISTS (SELECT 1 FROM pg_roles WHERE rolname = 'gate_desk') AS new \gset
\if :new
    CREATE ROLE gate_desk LOGIN PASSWORD :'gate';
    CREATE ROLE weighbridge_reader LOGIN PASSWORD :'reader';
    CREATE ROLE warehouse_writer LOGIN PASSWORD :'writer';
    GRANT pg_read_all_stats TO weighbridge_reader;
\endif
-- Reading the change log takes this, and nothing more.
ALTER ROLE weighbridge_reader REPLICATION;
