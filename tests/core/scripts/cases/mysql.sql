-- MariaDB dump 10.19
/*!40101 SET NAMES utf8 */;
/*!40000 DROP DATABASE IF EXISTS `works`*/;
CREATE DATABASE /*!32312 IF NOT EXISTS*/ `works` /*!40100 DEFAULT CHARACTER SET utf8mb4 */;
USE `works`;
DROP TABLE IF EXISTS `wk_Order`;
/*!40101 SET character_set_client = utf8 */;
CREATE TABLE `wk_Order` (
  `orderNo` int(10) unsigned NOT NULL AUTO_INCREMENT COMMENT 'Number; it''s unique',
  `siteId` smallint(5) unsigned DEFAULT NULL,
  `kind` enum('repair','it''s, new') NOT NULL DEFAULT 'repair',
  `flags` set('a','b') DEFAULT NULL,
  `dueAt` datetime DEFAULT current_timestamp() ON UPDATE current_timestamp(),
  `total` decimal(10,2) GENERATED ALWAYS AS (`hours` * 2) VIRTUAL,
  `hours` decimal(10,2) NOT NULL DEFAULT '0.00',
  `note` text CHARACTER SET latin1 COLLATE latin1_bin,
  `isOpen` tinyint(1) NOT NULL DEFAULT '1', # still open
  `pos` point NOT NULL,
  PRIMARY KEY (`orderNo`),
  UNIQUE KEY `uk_due` (`dueAt`,`kind`) USING BTREE,
  KEY `ix_note` (`note`(20), `hours` DESC),
  FULLTEXT KEY `ft_note` (`note`),
  SPATIAL KEY `sp_pos` (`pos`),
  CONSTRAINT `fk_site` FOREIGN KEY (`siteId`) REFERENCES `wk_Site` (`siteId`) ON DELETE SET NULL ON UPDATE CASCADE,
  CONSTRAINT `ck_hours` CHECK (`hours` >= 0)
) ENGINE=InnoDB AUTO_INCREMENT=17 DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_general_ci COMMENT='Work orders'
/*!50100 PARTITION BY RANGE (`orderNo`)
(PARTITION p0 VALUES LESS THAN (1000) ENGINE = InnoDB,
 PARTITION p1 VALUES LESS THAN MAXVALUE ENGINE = InnoDB) */;
INSERT INTO `wk_Order` VALUES (1,'a\'b; CREATE TABLE no (a int);',"c;d"),(2,'\\',NULL);
CREATE TABLE IF NOT EXISTS wk_Site (siteId smallint unsigned not null primary key, name varchar(40) not null unique, `key` int);
CREATE TABLE copy_of LIKE wk_Site;
CREATE UNIQUE INDEX ux_key ON wk_Site (`key`);
ALTER TABLE wk_Site ADD COLUMN opened date NULL AFTER siteId, CHANGE name siteName varchar(60) NOT NULL DEFAULT '', ADD INDEX (opened), DROP INDEX ux_key;
ALTER TABLE wk_Site MODIFY `key` bigint UNSIGNED COMMENT 'Key of old';
DELIMITER ;;
CREATE DEFINER=`root`@`localhost` TRIGGER trOrder BEFORE INSERT ON wk_Order FOR EACH ROW
BEGIN
  IF NEW.hours < 0 THEN SET NEW.hours = 0; END IF;
END ;;
CREATE PROCEDURE pClean(IN days int) BEGIN DELETE FROM wk_Order; END ;;
DELIMITER ;
CREATE EVENT evNight ON SCHEDULE EVERY 1 DAY DO CALL pClean(3);
CREATE ALGORITHM=UNDEFINED DEFINER=`root`@`localhost` SQL SECURITY DEFINER VIEW `vOrder` AS select `o`.`orderNo` AS `orderNo`,`s`.`siteName` AS `site` from (`wk_Order` `o` join `wk_Site` `s` on(`s`.`siteId` = `o`.`siteId`));
RENAME TABLE copy_of TO wk_SiteCopy;
CREATE TABLE other.tbl (id int) ENGINE=MyISAM;
LOCK TABLES `wk_Order` WRITE; UNLOCK TABLES;
