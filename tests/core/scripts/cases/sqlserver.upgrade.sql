:setvar DatabaseName "Water"
:r .\common.sql
IF OBJECT_ID('dbo.Pump', 'U') IS NOT NULL DROP TABLE dbo.Pump;
CREATE TABLE dbo.Pump (PumpNo int NOT NULL, Kind nchar(4) NULL, Flow float NULL, Rate AS (Flow * 2), Stamp rowversion, PRIMARY KEY NONCLUSTERED (PumpNo))
ALTER TABLE dbo.Pump ADD CONSTRAINT DF_Kind DEFAULT (N'  ') FOR Kind, CONSTRAINT CK_Flow CHECK (Flow >= 0)
IF NOT EXISTS (SELECT 1 FROM sys.columns WHERE name = 'Site')
BEGIN
    ALTER TABLE dbo.Pump ADD Site smallint NULL
    PRINT 'added; Site'
END
ELSE
    PRINT 'was there'
GO
CREATE TABLE #scratch (a int)
INSERT INTO dbo.Pump (PumpNo) SELECT 1
UPDATE dbo.Pump SET Kind = 'x' WHERE PumpNo IN (SELECT PumpNo FROM dbo.Pump)
CREATE NONCLUSTERED INDEX [IX Pump] ON dbo.Pump (Site ASC, Kind DESC) INCLUDE (Flow) WITH (ONLINE = ON) ON [PRIMARY]
ALTER TABLE dbo.Pump DROP CONSTRAINT CK_Flow, COLUMN Rate
DECLARE @n int
SET @n = 1
WHILE @n < 3 BEGIN SET @n = @n + 1 END
GO
CREATE VIEW dbo.vPump WITH SCHEMABINDING AS
SELECT p.PumpNo, p.Site AS SiteNo FROM dbo.Pump AS p
GO
CREATE FUNCTION dbo.fnRate (@a int, @b int) RETURNS TABLE AS RETURN (SELECT @a + @b AS c)
GO
ALTER PROCEDURE dbo.prClean AS SELECT * INTO dbo.Copy FROM dbo.Pump
GO
SELECT * INTO dbo.PumpCopy FROM dbo.Pump
GO
CREATE SCHEMA stores AUTHORIZATION dbo CREATE TABLE Item (ItemNo int PRIMARY KEY)
GO
ALTER SCHEMA stores TRANSFER OBJECT::dbo.Pump
EXEC sys.sp_rename N'stores.Item', N'StockItem'
CREATE SEQUENCE stores.Numbers AS bigint START WITH 100 INCREMENT BY 5 NO CYCLE
CREATE SYNONYM dbo.Pumps FOR stores.Pump
CREATE TABLE stores.Temporal (Id int PRIMARY KEY, ValidFrom datetime2 GENERATED ALWAYS AS ROW START HIDDEN NOT NULL, ValidTo datetime2 GENERATED ALWAYS AS ROW END NOT NULL, PERIOD FOR SYSTEM_TIME (ValidFrom, ValidTo)) WITH (SYSTEM_VERSIONING = ON)
CREATE TABLE "odd name"."Tab le" ("Col 1" int NULL, [Col]]2] varchar(10) MASKED WITH (FUNCTION = 'default()') NULL)
GO
