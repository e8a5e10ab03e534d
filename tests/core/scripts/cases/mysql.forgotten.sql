CREATE TABLE zones (id INT KEY AUTO_INCREMENT, kind enum("dma","pressure"), name VARCHAR(40) CHAR SET utf8mb4, type VARCHAR(5), UNIQUE USING BTREE (name), INDEX type (type)) ENGINE=InnoDB
CREATE TABLE "zone_mains" (
  zone_id INT NOT NULL,
  main_no VARCHAR(20) NOT NULL,
  CONSTRAINT mains_zone FOREIGN KEY zone_idx (zone_id) REFERENCES zones (id)
) ENGINE=InnoDB;
CREATE UNIQUE INDEX main_nos ON zone_mains (main_no(20), zone_id);
CREATE TABLE logs (zone_id INT, said VARCHAR(20), body TEXT, FOREIGN KEY (zone_id) REFERENCES zones (id)) ENGINE=MyISAM DEFAULT CHARSET=binary;
ALTER TABLE logs ADD COLUMN said VARCHAR(30);
DELIMITER ;;
/*!50003 CREATE*/ /*!50017 DEFINER=`steward`@`%`*/ /*!50003 TRIGGER `zone_made` AFTER INSERT ON `zones` FOR EACH ROW BEGIN
  DECLARE found INT;
  CREATE TEMPORARY TABLE seen (id INT);
  INSERT INTO logs VALUES (NEW.id, 'made', 'x');
END */;;
DELIMITER ;
