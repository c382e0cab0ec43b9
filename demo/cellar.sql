-- The cellar's own database, kept in MariaDB: casks and what is moved between them. Everything in it is invented.
CREATE DATABASE cellar CHARACTER SET utf8mb4;
USE cellar;

CREATE TABLE casks (
    cask_no varchar(12) NOT NULL PRIMARY KEY,
    wood enum('oak', 'chestnut', 'steel') NOT NULL,
    capacity_l smallint unsigned NOT NULL,
    filled_l decimal(7, 1) NOT NULL DEFAULT 0,
    last_cleaned date,
    notes json,
    updated_at timestamp(3) NOT NULL DEFAULT current_timestamp(3) ON UPDATE current_timestamp(3),
    KEY casks_updated (updated_at)
) COMMENT 'Every cask of the cellar';

CREATE TABLE cask_moves (
    move_id bigint unsigned NOT NULL AUTO_INCREMENT PRIMARY KEY,
    cask_no varchar(12) NOT NULL,
    litres decimal(7, 1) NOT NULL,
    reason varchar(40) NOT NULL,
    moved_at datetime(6) NOT NULL,
    KEY cask_moves_cask (cask_no)
) COMMENT 'Fillings and drawings';

INSERT INTO casks (cask_no, wood, capacity_l, filled_l, last_cleaned, notes)
SELECT concat('AC-', lpad(seq, 5, '0')), elt(1 + seq % 3, 'oak', 'chestnut', 'steel'), 225 + 275 * (seq % 4), 40 + seq % 180, date '2026-08-01' + INTERVAL seq % 60 DAY, json_object('row', seq % 14, 'bay', seq % 30)
FROM seq_1_to_1800;
INSERT INTO cask_moves (cask_no, litres, reason, moved_at)
SELECT concat('AC-', lpad(1 + seq * 7 % 1800, 5, '0')), 1 + seq % 90, elt(1 + seq % 3, 'filled', 'drawn', 'topped up'), timestamp '2026-09-01 00:00:00' + INTERVAL seq * 80 SECOND
FROM seq_1_to_40000;

-- The cellar at work, while the server's event scheduler runs.
DELIMITER $$
CREATE EVENT cellar_work ON SCHEDULE EVERY 1 SECOND DO BEGIN
    DECLARE which varchar(12) DEFAULT concat('AC-', lpad(1 + floor(rand() * 1800), 5, '0'));
    DECLARE amount decimal(7, 1) DEFAULT round(1 + rand() * 20, 1);
    START TRANSACTION;
    UPDATE casks SET filled_l = least(capacity_l, filled_l + amount) WHERE cask_no = which;
    INSERT INTO cask_moves (cask_no, litres, reason, moved_at) VALUES (which, amount, 'filled', utc_timestamp(6));
    IF rand() < 0.1 THEN DELETE FROM cask_moves ORDER BY move_id LIMIT 1; END IF;
    COMMIT;
END $$
DELIMITER ;
