-- Tarnbeck Water, laboratory: one SQLite file on a bench computer. Nobody declared a foreign key.
CREATE TABLE smppoint (ptcode TEXT PRIMARY KEY, ptname TEXT NOT NULL, ptkind TEXT DEFAULT 'TAP', eastings INTEGER, northings INTEGER);
CREATE TABLE sampler (samplerid INTEGER PRIMARY KEY, initials TEXT NOT NULL, fullname TEXT, trainedon TEXT);
CREATE TABLE sample (
  sampleno INTEGER PRIMARY KEY AUTOINCREMENT,
  ptcode TEXT NOT NULL,        -- where it was taken
  samplerid INTEGER,
  takenat TEXT NOT NULL,       -- local time, ISO
  rcvdat TEXT,
  tempdegc REAL,               -- at the tap
  freecl REAL CHECK (freecl IS NULL OR freecl >= 0),
  bottleset TEXT COLLATE NOCASE
);
CREATE TABLE determinand (detcode TEXT PRIMARY KEY, detname TEXT NOT NULL, units TEXT, lod REAL, pcv REAL /* prescribed value */);
CREATE TABLE result (
  sampleno INTEGER NOT NULL,
  detcode TEXT NOT NULL,
  resultval REAL,
  resultqual TEXT DEFAULT '=', -- < where below the limit of detection
  analysedat TEXT,
  analyst TEXT,
  passfail TEXT GENERATED ALWAYS AS (CASE WHEN resultqual = '<' THEN 'P' END) VIRTUAL,
  PRIMARY KEY (sampleno, detcode)
) WITHOUT ROWID;
CREATE TABLE methodref (methodid INTEGER PRIMARY KEY, detcode TEXT, methodtitle TEXT, validfrom TEXT, validto TEXT);
CREATE TABLE instrument (instrid INTEGER PRIMARY KEY, serialno TEXT UNIQUE, maker TEXT, calduedate TEXT);
CREATE TABLE calibration (instrid INTEGER, caldate TEXT, slope REAL, intercept REAL, r2 REAL, operator TEXT, PRIMARY KEY (instrid, caldate));
CREATE TABLE failurenotice (noticeno INTEGER PRIMARY KEY, sampleno INTEGER, detcode TEXT, raisedat TEXT, reinvestigate INTEGER DEFAULT 1, closedat TEXT);
CREATE TABLE regzone (zonecode TEXT PRIMARY KEY, zonename TEXT, population INTEGER);
CREATE TABLE zonepoint (zonecode TEXT, ptcode TEXT, fromdate TEXT, PRIMARY KEY (zonecode, ptcode));
CREATE INDEX ixsamplept ON sample (ptcode, takenat DESC);
CREATE INDEX ixresultdet ON result (detcode) WHERE resultval IS NOT NULL;
CREATE VIEW vfailures AS SELECT r.sampleno, s.ptcode, r.detcode, r.resultval, d.pcv FROM result r JOIN sample s ON s.sampleno = r.sampleno JOIN determinand d ON d.detcode = r.detcode WHERE r.resultval > d.pcv;
CREATE VIRTUAL TABLE methodtext USING fts5(methodtitle, body);
