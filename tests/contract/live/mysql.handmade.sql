/*!40101 SET NAMES utf8mb4 */; SET foreign_key_checks = 0;
CREATE TABLE `order` (`order_id` INT(10) UNSIGNED NOT NULL AUTO_INCREMENT, `client` int unsigned DEFAULT NULL COMMENT 'Who', `at` datetime(6) DEFAULT current_timestamp(6) ON UPDATE current_timestamp(6),
  `state` enum('new','it''s done','a,b') CHARACTER SET latin1 COLLATE latin1_swedish_ci DEFAULT 'new', `flags` set('a','b') NOT NULL DEFAULT 'a,b', `note` text CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci, `bin` binary(3), `vb` varbinary(20), `blobby` blob,
  `num` decimal(6) UNSIGNED, `fl` float, `dbl` double(9,2), `y` year(4), `tm` time, `ts` timestamp NULL, `b` bit(1) NOT NULL DEFAULT b'0', `geo` geometry, `gen` varchar(30) GENERATED ALWAYS AS (concat(`client`,'x')) VIRTUAL, `st` int AS (`num` + 1) PERSISTENT,
  PRIMARY KEY (`order_id`) USING BTREE, UNIQUE KEY `once` (`client`,`at`) USING BTREE COMMENT 'Once', KEY `prefix` (`note`(20)), FULLTEXT KEY `words` (`note`), KEY `desc_key` (`at` DESC), CONSTRAINT `one_client` FOREIGN KEY (`client`) REFERENCES `client` (`id`) ON DELETE SET NULL ON UPDATE CASCADE
) ENGINE=InnoDB AUTO_INCREMENT=5 DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_general_ci COMMENT='Orders; "all"' ROW_FORMAT=COMPRESSED KEY_BLOCK_SIZE=8;
CREATE TABLE IF NOT EXISTS client (id int unsigned primary key auto_increment, name varchar(40) not null unique, parent int unsigned references client (id) on delete cascade, mail varchar(99) unique key comment 'Mail', code char(2)) engine InnoDB;
CREATE TABLE item (id bigint(20) NOT NULL, `order` int unsigned, pos smallint(6), price numeric(8,2) DEFAULT 0.00, made date DEFAULT '2020-01-01', told varchar(10) DEFAULT NULL, PRIMARY KEY (id, pos), INDEX (`order`, pos), foreign key (`order`) references `order` (order_id), constraint foreign key by_client (id) references other (id)) ENGINE=InnoDB;
DROP TABLE item; CREATE TABLE item (id bigint(20) NOT NULL, `order` int unsigned, pos smallint(6), price numeric(8,2) DEFAULT 0.00, made date DEFAULT '2020-01-01', told varchar(10) DEFAULT NULL, PRIMARY KEY (id, pos), INDEX (`order`, pos), foreign key (`order`) references `order` (order_id)) ENGINE=InnoDB;
ALTER TABLE `item` ADD KEY `IDX_made` (`made`), ADD CONSTRAINT `price_ok` CHECK (`price` >= 0), MODIFY `id` bigint(20) NOT NULL AUTO_INCREMENT, ADD KEY auto (id);
ALTER TABLE item ADD COLUMN (extra json, more int), ALTER COLUMN told SET DEFAULT 'x', ALTER INDEX IDX_made IGNORED, CONVERT TO CHARACTER SET utf8mb4, ORDER BY id;
ALTER TABLE item DROP COLUMN extra, ADD COLUMN place point NOT NULL FIRST, ADD SPATIAL KEY sp (place);
CREATE TABLE log (id int, at datetime NOT NULL, level tinyint, txt varchar(20), KEY (level)) ENGINE=InnoDB PARTITION BY RANGE (year(at)) SUBPARTITION BY HASH (level) SUBPARTITIONS 2 (PARTITION p0 VALUES LESS THAN (2020) COMMENT = 'Old', PARTITION p1 VALUES LESS THAN MAXVALUE);
CREATE TABLE mem (a int, b varchar(5), KEY (a), KEY t (b) USING BTREE) ENGINE=MEMORY; CREATE TABLE isam (a int, FULLTEXT (txt), txt text) ENGINE=MyISAM; CREATE TEMPORARY TABLE scratch (a int);
CREATE TABLE copy_of AS SELECT name, mail, made, told FROM client JOIN item; CREATE TABLE typed (a int, c char(3)) SELECT id AS a, name FROM client;
CREATE ALGORITHM=MERGE DEFINER=CURRENT_USER SQL SECURITY INVOKER VIEW names AS SELECT c.id AS client, c.name FROM client c WHERE c.id > 3 WITH CASCADED CHECK OPTION;
CREATE SEQUENCE numbers START WITH 10 INCREMENT BY 5 MINVALUE 5 MAXVALUE 900 CACHE 20 CYCLE; ALTER SEQUENCE numbers INCREMENT BY 3 NOCYCLE;
DELIMITER $$
CREATE DEFINER=CURRENT_USER PROCEDURE fill(IN n int, OUT m int) COMMENT 'Fills' BEGIN CREATE TABLE never (a int); SET m = n; END $$
CREATE FUNCTION IF NOT EXISTS plus(a int, b int) RETURNS int NO SQL RETURN a + b $$
CREATE TRIGGER before_item BEFORE INSERT ON item FOR EACH ROW BEGIN SET NEW.told = 'y'; END $$
CREATE OR REPLACE TRIGGER after_item AFTER DELETE ON item FOR EACH ROW SET @n = @n + 1 $$
DELIMITER ;
