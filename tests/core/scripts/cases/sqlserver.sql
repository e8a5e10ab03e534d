USE [Waterworks]
GO
/****** Object:  Table [dbo].[tblMeter]    Script Date: 03/11/2019 10:12:01 ******/
SET ANSI_NULLS ON
GO
SET QUOTED_IDENTIFIER ON
GO
CREATE TABLE [dbo].[tblMeter](
	[MeterID] [int] IDENTITY(1,1) NOT FOR REPLICATION NOT NULL,
	[Serial No] [nvarchar](40) COLLATE Latin1_General_CI_AS NOT NULL,
	[FittedOn] [datetime2](7) NULL CONSTRAINT [DF_tblMeter_FittedOn]  DEFAULT (getdate()),
	[Size] [decimal](9, 3) NULL,
	[Area]  AS ([Size]*(2)) PERSISTED,
	[Notes] [varchar](max) SPARSE NULL,
	[RowGuid] [uniqueidentifier] ROWGUIDCOL NOT NULL,
 CONSTRAINT [PK_tblMeter] PRIMARY KEY CLUSTERED 
(
	[MeterID] ASC
)WITH (PAD_INDEX = OFF, STATISTICS_NORECOMPUTE = OFF, IGNORE_DUP_KEY = OFF) ON [PRIMARY],
 CONSTRAINT [UQ_Serial] UNIQUE NONCLUSTERED ([Serial No] ASC) ON [PRIMARY]
) ON [PRIMARY] TEXTIMAGE_ON [PRIMARY]
GO
CREATE TABLE ops.Visit (
  VisitNo int NOT NULL, MeterID int NOT NULL,
  Kind char(2) NOT NULL CONSTRAINT CK_Kind CHECK (Kind IN ('RD','FX')),
  INDEX IX_Kind NONCLUSTERED (Kind)
)
CREATE UNIQUE INDEX UX_Visit ON ops.Visit (VisitNo DESC) INCLUDE (Kind) WHERE Kind = 'RD'
ALTER TABLE ops.Visit ADD Remark nvarchar(200) NULL, Done bit NOT NULL CONSTRAINT DF_Done DEFAULT ((0))
ALTER TABLE ops.Visit ALTER COLUMN Kind varchar(4) NOT NULL
go
ALTER TABLE [ops].[Visit]  WITH CHECK ADD  CONSTRAINT [FK_Visit_Meter] FOREIGN KEY([MeterID])
REFERENCES [dbo].[tblMeter] ([MeterID])
ON DELETE CASCADE
GO
ALTER TABLE [ops].[Visit] CHECK CONSTRAINT [FK_Visit_Meter]
GO
ALTER TABLE [dbo].[tblMeter] ADD  CONSTRAINT [DF_Guid]  DEFAULT (newid()) FOR [RowGuid]
GO
INSERT [dbo].[tblMeter] ([Serial No]) VALUES (N'it''s; GO
GO on')
INSERT [dbo].[tblMeter] ([Serial No]) VALUES (N'B')
CREATE TABLE dbo.AfterRows (Id int PRIMARY KEY)
GO
EXEC sys.sp_addextendedproperty @name=N'MS_Description', @value=N'A meter''s card' , @level0type=N'SCHEMA',@level0name=N'dbo', @level1type=N'TABLE',@level1name=N'tblMeter'
GO
EXEC sp_addextendedproperty N'MS_Description', N'Printed on the meter', N'SCHEMA', N'dbo', N'TABLE', N'tblMeter', N'COLUMN', N'Serial No'
GO
IF EXISTS (SELECT * FROM sys.objects WHERE name = 'old') DROP TABLE dbo.old
GO
IF NOT EXISTS (SELECT * FROM sys.views WHERE object_id = OBJECT_ID(N'[dbo].[vMeter]'))
EXEC dbo.sp_executesql @statement = N'CREATE VIEW [dbo].[vMeter] AS SELECT m.MeterID, m.[Serial No] AS Serial, COUNT(*) AS N FROM dbo.tblMeter m GROUP BY m.MeterID, m.[Serial No]' 
GO
CREATE PROCEDURE dbo.Rebuild @days int = 3 AS
BEGIN
  CREATE TABLE dbo.Scratch (id int);
  EXEC('DROP TABLE dbo.Scratch');
END
GO
CREATE TRIGGER ops.trVisit ON ops.Visit AFTER INSERT, UPDATE AS UPDATE ops.Visit SET Done = 1;
GO
EXEC sp_rename 'ops.Visit.Remark', 'Note', 'COLUMN'
CREATE TYPE dbo.Phone FROM varchar(20) NOT NULL
GO
