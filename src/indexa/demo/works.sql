-- Tarnbeck Water, works management. Written for MySQL 5.0 in 2006, changed by many hands since.
-- Made-up data of a made-up company.
SET NAMES utf8mb4;
SET FOREIGN_KEY_CHECKS = 0;

DROP TABLE IF EXISTS `wkDepot`;
CREATE TABLE `wkDepot` (
  `depotNo` smallint unsigned NOT NULL AUTO_INCREMENT,
  `depotName` varchar(60) NOT NULL COMMENT 'Name on the gate',
  `gridRef` char(12) DEFAULT NULL, -- eight figures, letters first
  `openFrom` time NOT NULL DEFAULT '07:00:00',
  `openTo` time NOT NULL DEFAULT '16:30:00',
  `isActive` tinyint(1) NOT NULL DEFAULT 1,
  PRIMARY KEY (`depotNo`),
  UNIQUE KEY `ukDepotName` (`depotName`)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COMMENT='Depots that crews start from';

CREATE TABLE `wkCrew` (
  `depotNo` smallint unsigned NOT NULL,
  `crewNo` tinyint unsigned NOT NULL,
  `crewKind` enum('repair','new mains','metering','leakage') NOT NULL DEFAULT 'repair' COMMENT 'What the crew is trained for',
  `leadEmpNo` int unsigned DEFAULT NULL, -- who signs the time sheets
  `vanReg` varchar(10) DEFAULT NULL,
  PRIMARY KEY (`depotNo`, `crewNo`),
  KEY `ixCrewLead` (`leadEmpNo`),
  CONSTRAINT `fkCrewDepot` FOREIGN KEY (`depotNo`) REFERENCES `wkDepot` (`depotNo`),
  CONSTRAINT `fkCrewLead` FOREIGN KEY (`leadEmpNo`) REFERENCES `wkEmployee` (`empNo`) ON DELETE SET NULL
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

CREATE TABLE `wkEmployee` (
  `empNo` int unsigned NOT NULL,
  `firstName` varchar(40) NOT NULL,
  `lastName` varchar(40) NOT NULL,
  `mobileNo` varchar(20) DEFAULT NULL, # private number, not to be printed
  `confinedSpaceUntil` date DEFAULT NULL COMMENT 'Ticket for work in confined spaces runs out',
  `photo` mediumblob,
  PRIMARY KEY (`empNo`)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COMMENT='People of works management; personnel has its own system';

CREATE TABLE `wkAssetClass` (
  `assetClassCd` char(4) NOT NULL,
  `descr` varchar(80) NOT NULL,
  `designLife` smallint unsigned DEFAULT NULL COMMENT 'Years',
  PRIMARY KEY (`assetClassCd`)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

CREATE TABLE `wkAsset` (
  `assetNo` int unsigned NOT NULL AUTO_INCREMENT,
  `assetClassCd` char(4) NOT NULL,
  `parentAssetNo` int unsigned DEFAULT NULL,
  `tagNo` varchar(24) NOT NULL COMMENT 'As on the plate',
  `installedOn` date DEFAULT NULL,
  `retiredOn` date DEFAULT NULL,
  `pos` point NOT NULL,
  `lenM` decimal(9,2) DEFAULT NULL COMMENT 'Length in metres, pipes only',
  `diaMm` smallint unsigned DEFAULT NULL, -- nominal, not measured
  `matl` enum('CI','DI','PE','PVC','AC','ST') DEFAULT NULL,
  `notes` text,
  `chgTs` timestamp NOT NULL DEFAULT current_timestamp() ON UPDATE current_timestamp(),
  PRIMARY KEY (`assetNo`),
  UNIQUE KEY `ukAssetTag` (`tagNo`),
  KEY `ixAssetNotes` (`notes`(40)),
  SPATIAL KEY `spAssetPos` (`pos`),
  CONSTRAINT `fkAssetClass` FOREIGN KEY (`assetClassCd`) REFERENCES `wkAssetClass` (`assetClassCd`) ON UPDATE CASCADE,
  CONSTRAINT `fkAssetParent` FOREIGN KEY (`parentAssetNo`) REFERENCES `wkAsset` (`assetNo`)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COMMENT='Everything in the ground and in the works';

CREATE TABLE `wkOrder` (
  `orderNo` int unsigned NOT NULL AUTO_INCREMENT,
  `orderYear` smallint unsigned NOT NULL,
  `orderKind` enum('repair','inspection','connection','disconnection') NOT NULL,
  `prio` tinyint unsigned NOT NULL DEFAULT 3 COMMENT '1 = now, 2 = within a day, 3 = planned',
  `reportedAt` datetime NOT NULL,
  `promisedBy` date DEFAULT NULL, -- what the customer was told
  `doneAt` datetime DEFAULT NULL,
  `assetNo` int unsigned DEFAULT NULL,
  `premNo` bigint DEFAULT NULL COMMENT 'Premises in billing (prem_id); no foreign key across systems',
  `statCd` char(2) NOT NULL DEFAULT 'OP',
  `estHrs` decimal(6,2) NOT NULL DEFAULT 0.00,
  `estCost` decimal(10,2) GENERATED ALWAYS AS (`estHrs` * 48.50) VIRTUAL,
  `flags` set('night','traffic','dig') DEFAULT NULL,
  PRIMARY KEY (`orderNo`, `orderYear`),
  KEY `ixOrderAsset` (`assetNo`),
  KEY `ixOrderStat` (`statCd`, `prio` DESC),
  FULLTEXT KEY `ftNothing` (`statCd`)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COMMENT='Work orders'
PARTITION BY RANGE (`orderYear`) (
  PARTITION pOld VALUES LESS THAN (2020),
  PARTITION p2026 VALUES LESS THAN (2027),
  PARTITION pMax VALUES LESS THAN MAXVALUE
);

CREATE TABLE `wkOrderLine` (
  `orderNo` int unsigned NOT NULL,
  `orderYear` smallint unsigned NOT NULL,
  `lineNo` smallint unsigned NOT NULL,
  `jobCd` char(6) NOT NULL, -- see wkJobCode
  `qty` decimal(8,2) NOT NULL DEFAULT 1.00,
  `depotNo` smallint unsigned DEFAULT NULL,
  `crewNo` tinyint unsigned DEFAULT NULL,
  PRIMARY KEY (`orderNo`, `orderYear`, `lineNo`),
  CONSTRAINT `fkLineJob` FOREIGN KEY (`jobCd`) REFERENCES `wkJobCode` (`jobCd`),
  CONSTRAINT `fkLineCrew` FOREIGN KEY (`depotNo`, `crewNo`) REFERENCES `wkCrew` (`depotNo`, `crewNo`)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

CREATE TABLE `wkJobCode` (
  `jobCd` char(6) NOT NULL,
  `descr` varchar(80) NOT NULL,
  `stdHrs` decimal(5,2) DEFAULT NULL COMMENT 'Standard hours for one',
  PRIMARY KEY (`jobCd`)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

CREATE TABLE `wkTimeSheet` (
  `empNo` int unsigned NOT NULL,
  `workDate` date NOT NULL,
  `orderNo` int unsigned NOT NULL,
  `orderYear` smallint unsigned NOT NULL,
  `hrs` decimal(4,2) NOT NULL,
  `otHrs` decimal(4,2) NOT NULL DEFAULT 0.00, -- overtime
  PRIMARY KEY (`empNo`, `workDate`, `orderNo`, `orderYear`),
  CONSTRAINT `fkTimeEmp` FOREIGN KEY (`empNo`) REFERENCES `wkEmployee` (`empNo`),
  CONSTRAINT `ckTimeHrs` CHECK (`hrs` between 0 and 24)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

CREATE TABLE `stItem` (
  `itemNo` varchar(12) NOT NULL,
  `descr` varchar(120) NOT NULL,
  `unit` enum('ea','m','kg','l') NOT NULL DEFAULT 'ea',
  `reorderAt` decimal(9,2) DEFAULT NULL COMMENT 'Ordered anew below this',
  PRIMARY KEY (`itemNo`),
  FULLTEXT KEY `ftItemDescr` (`descr`)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COMMENT='Stores: what is kept';

CREATE TABLE `stStock` (
  `depotNo` smallint unsigned NOT NULL,
  `itemNo` varchar(12) NOT NULL,
  `onHand` decimal(9,2) NOT NULL DEFAULT 0.00,
  `countedOn` date DEFAULT NULL, -- last stocktake
  PRIMARY KEY (`depotNo`, `itemNo`),
  CONSTRAINT `fkStockDepot` FOREIGN KEY (`depotNo`) REFERENCES `wkDepot` (`depotNo`),
  CONSTRAINT `fkStockItem` FOREIGN KEY (`itemNo`) REFERENCES `stItem` (`itemNo`) ON DELETE CASCADE
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

CREATE TABLE `stIssue` (
  `issueNo` bigint unsigned NOT NULL AUTO_INCREMENT,
  `depotNo` smallint unsigned NOT NULL,
  `itemNo` varchar(12) NOT NULL,
  `orderNo` int unsigned DEFAULT NULL,
  `orderYear` smallint unsigned DEFAULT NULL,
  `qty` decimal(9,2) NOT NULL,
  `issuedAt` datetime NOT NULL DEFAULT current_timestamp(),
  PRIMARY KEY (`issueNo`),
  CONSTRAINT `fkIssueStock` FOREIGN KEY (`depotNo`, `itemNo`) REFERENCES `stStock` (`depotNo`, `itemNo`)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

CREATE TABLE `lkSurvey` (
  `surveyNo` int unsigned NOT NULL AUTO_INCREMENT,
  `dmaCd` varchar(8) NOT NULL COMMENT 'District metered area',
  `startedAt` datetime NOT NULL,
  `empNo` int unsigned NOT NULL,
  `kmWalked` decimal(5,2) DEFAULT NULL,
  PRIMARY KEY (`surveyNo`)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COMMENT='Leakage surveys';

CREATE TABLE `lkFind` (
  `surveyNo` int unsigned NOT NULL,
  `findNo` smallint unsigned NOT NULL,
  `assetNo` int unsigned DEFAULT NULL, -- pipe or fitting, where it could be told
  `lossLps` decimal(7,3) DEFAULT NULL COMMENT 'Estimated loss, litres a second',
  `dbLevel` smallint DEFAULT NULL,
  PRIMARY KEY (`surveyNo`, `findNo`),
  CONSTRAINT `fkFindSurvey` FOREIGN KEY (`surveyNo`) REFERENCES `lkSurvey` (`surveyNo`) ON DELETE CASCADE
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

INSERT INTO `wkAssetClass` (`assetClassCd`, `descr`, `designLife`) VALUES
  ('MAIN','Water main',80),('VALV','Valve; sluice or air',40),('HYDR','Hydrant',50),('PUMP','Pump set',25);
INSERT INTO `wkDepot` (`depotName`, `gridRef`) VALUES ('Tarnbeck Bridge','NY 3412 1120'),('Holm Mill','NY 3610 0944');

-- 2019: the old order table was renamed, its notes were split off
CREATE TABLE `wkRemarks` (
  `orderNo` int unsigned NOT NULL,
  `orderYear` smallint unsigned NOT NULL,
  `seqNo` smallint unsigned NOT NULL,
  `remark` text NOT NULL,
  PRIMARY KEY (`orderNo`, `orderYear`, `seqNo`)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
RENAME TABLE `wkRemarks` TO `wkOrderNote`;
ALTER TABLE `wkOrderNote`
  ADD COLUMN `writtenBy` int unsigned DEFAULT NULL AFTER `seqNo`,
  ADD CONSTRAINT `fkNoteEmp` FOREIGN KEY (`writtenBy`) REFERENCES `wkEmployee` (`empNo`);
ALTER TABLE `wkOrder` DROP INDEX `ftNothing`;

CREATE VIEW `vwOpenOrders` AS
  select o.orderNo, o.orderYear, o.orderKind, o.prio, a.tagNo, l.jobCd
  from wkOrder o left join wkAsset a on a.assetNo = o.assetNo join wkOrderLine l on l.orderNo = o.orderNo and l.orderYear = o.orderYear
  where o.doneAt is null;

DELIMITER //
CREATE TRIGGER `trgOrderYear` BEFORE INSERT ON `wkOrder` FOR EACH ROW
BEGIN
  IF NEW.orderYear = 0 THEN SET NEW.orderYear = year(NEW.reportedAt); END IF;
END//
CREATE PROCEDURE `spCloseOld`(IN beforeDate date)
BEGIN
  UPDATE wkOrder SET statCd = 'CL' WHERE doneAt < beforeDate;
END//
DELIMITER ;
