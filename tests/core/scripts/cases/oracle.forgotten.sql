CREATE TABLE meters (id NUMBER(10) NOT NULL, serial_no VARCHAR2(40) NOT NULL, PRIMARY KEY(id))

DECLARE
  keys_found NUMBER;
BEGIN
  SELECT COUNT(*) INTO keys_found FROM user_constraints WHERE table_name = 'METERS';
  IF keys_found = 0 THEN
    EXECUTE IMMEDIATE 'ALTER TABLE METERS ADD CONSTRAINT METERS_UK UNIQUE (SERIAL_NO)';
  END IF;
END;

CREATE SEQUENCE meters_seq START WITH 1 MINVALUE 1 INCREMENT BY 1

CREATE TRIGGER meters_number
   BEFORE INSERT ON meters FOR EACH ROW
DECLARE
   last_number NUMBER;
   next_number NUMBER;
BEGIN
   SELECT meters_seq.NEXTVAL INTO :NEW.id FROM dual;
END;

CREATE INDEX meters_serial ON meters (serial_no)

CREATE TABLE &owner..readings (meter_id NUMBER(10) REFERENCES meters(id), taken_at DATE)

CREATE TABLE @{station} (
  c_path VARCHAR2(255) PRIMARY KEY, -- the full path
  c_parts NUMBER(5) NULL
);
CREATE INDEX @{station}_idx ON @{station}(c_parts);
