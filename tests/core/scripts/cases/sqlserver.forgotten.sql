CREATE TABLE [dbo].[pumps] (
    [id] [varchar](20) NOT NULL,
    [site] [varchar](100) NOT NULL
 CONSTRAINT [pumps_pk] PRIMARY KEY CLUSTERED
(
        [id] ASC
)WITH (PAD_INDEX = OFF, IGNORE_DUP_KEY = OFF)
);
CREATE TABLE $(Schema).[pump_logs] (
    [pump_id] [varchar](20) NOT NULL FOREIGN KEY ([pump_id]) REFERENCES [dbo].[pumps] ([id]) ON DELETE CASCADE,
    `note` [nvarchar](max) NULL
);
