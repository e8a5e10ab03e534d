CREATE SCHEMA works AUTHORIZATION dbo;
GO
CREATE TYPE works.code FROM varchar(20) NOT NULL;
CREATE TYPE works.list AS TABLE (a int);
GO
CREATE TABLE works.site (
  id int IDENTITY(10,5) NOT FOR REPLICATION NOT NULL CONSTRAINT site_pk PRIMARY KEY CLUSTERED WITH (FILLFACTOR = 80) ON [PRIMARY],
  code works.code, name nvarchar(80) SPARSE NULL, made datetime2(3) CONSTRAINT site_made DEFAULT (sysutcdatetime()),
  area decimal(10,2), half AS (area / 2) PERSISTED NOT NULL, keyed uniqueidentifier ROWGUIDCOL DEFAULT NEWSEQUENTIALID(),
  secret varchar(9) MASKED WITH (FUNCTION = 'default()') COLLATE Latin1_General_BIN,
  valid_from datetime2 GENERATED ALWAYS AS ROW START HIDDEN NOT NULL, valid_to datetime2 GENERATED ALWAYS AS ROW END HIDDEN NOT NULL, PERIOD FOR SYSTEM_TIME (valid_from, valid_to),
  INDEX site_by_name NONCLUSTERED (name DESC) INCLUDE (area) WHERE name IS NOT NULL, CONSTRAINT site_code UNIQUE (code)
) WITH (SYSTEM_VERSIONING = ON (HISTORY_TABLE = works.site_history));
GO
CREATE TABLE works.reading (site_id int, taken datetime, amount float(53), spare int, old int);
ALTER TABLE works.reading ADD note nvarchar(40) NOT NULL CONSTRAINT reading_note DEFAULT N'x', state char(1) NULL;
ALTER TABLE works.reading ALTER COLUMN site_id int NOT NULL;
ALTER TABLE works.reading ALTER COLUMN amount decimal(12,3);
ALTER TABLE works.reading WITH NOCHECK ADD CONSTRAINT reading_site FOREIGN KEY (site_id) REFERENCES works.site (id) ON DELETE CASCADE NOT FOR REPLICATION;
ALTER TABLE works.reading CHECK CONSTRAINT reading_site;
ALTER TABLE works.reading ADD CONSTRAINT above CHECK (amount >= 0), CONSTRAINT reading_uq UNIQUE NONCLUSTERED (site_id, taken);
ALTER TABLE works.reading DROP COLUMN spare, CONSTRAINT reading_uq;
ALTER TABLE works.reading ADD DEFAULT (7) FOR old WITH VALUES;
ALTER TABLE works.reading DROP CONSTRAINT IF EXISTS above, COLUMN state;
GO
EXEC sp_rename 'works.reading.old', 'older', 'COLUMN';
EXEC sp_rename N'works.reading', N'measured';
EXEC sp_rename 'works.site.site_by_name', 'site_named', 'INDEX';
EXEC sp_rename @objname = 'works.site', @newname = 'place', @objtype = 'OBJECT';
GO
CREATE UNIQUE CLUSTERED INDEX measured_by_day ON works.measured (taken DESC, site_id) WITH (ONLINE = ON, FILLFACTOR = 90) ON [PRIMARY];
CREATE NONCLUSTERED COLUMNSTORE INDEX measured_columns ON works.measured (amount);
CREATE NONCLUSTERED INDEX unwanted ON works.measured (amount) INCLUDE (note);
DROP INDEX unwanted ON works.measured;
CREATE SCHEMA moved;
GO
CREATE TABLE works.wanders (a int);
ALTER SCHEMA moved TRANSFER OBJECT::works.wanders;
GO
CREATE VIEW works.totals WITH SCHEMABINDING AS SELECT site_id, COUNT_BIG(*) AS readings, MAX(taken) AS latest FROM works.measured GROUP BY site_id;
GO
ALTER VIEW works.totals AS SELECT site_id, MAX(amount) AS highest FROM works.measured GROUP BY site_id;
GO
CREATE OR ALTER PROCEDURE works.tidy @days int = 3, @all bit OUTPUT WITH RECOMPILE AS BEGIN DELETE FROM works.measured; EXEC('create table made_later (a int)') END;
GO
CREATE FUNCTION works.twice (@x int) RETURNS int AS BEGIN RETURN @x * 2 END;
GO
ALTER FUNCTION works.twice (@x bigint) RETURNS bigint AS BEGIN RETURN @x * 2 END;
GO
CREATE TRIGGER works.stamp ON works.measured AFTER INSERT, UPDATE AS SET NOCOUNT ON;
GO
ALTER TRIGGER works.stamp ON works.measured AFTER INSERT AS SET NOCOUNT OFF;
GO
CREATE SEQUENCE works.tickets AS smallint START WITH 5 INCREMENT BY -1 CYCLE;
CREATE SYNONYM works.other FOR works.place;
SELECT code, area INTO works.picked FROM works.place;
EXEC sys.sp_addextendedproperty @name = N'MS_Description', @value = N'Where water is', @level0type = N'SCHEMA', @level0name = N'works', @level1type = N'TABLE', @level1name = N'place';
EXEC sp_addextendedproperty N'MS_Description', N'Litres', N'SCHEMA', N'works', N'TABLE', N'measured', N'COLUMN', N'amount';
EXEC sp_addextendedproperty N'MS_Description', N'The works', N'SCHEMA', N'works';
EXEC sp_addextendedproperty N'MS_Description', N'Only one a day', N'SCHEMA', N'works', N'TABLE', N'measured', N'INDEX', N'measured_by_day';
EXEC sp_addextendedproperty N'Owner', N'Ann', N'SCHEMA', N'works', N'TABLE', N'measured';
EXEC sp_addextendedproperty N'MS_Description', N'Lost', N'SCHEMA', N'works', N'TABLE', N'nowhere';
EXEC sp_updateextendedproperty N'MS_Description', N'Cubic metres', N'SCHEMA', N'works', N'TABLE', N'measured', N'COLUMN', N'amount';
DROP TABLE IF EXISTS works.nowhere, works.picked;
