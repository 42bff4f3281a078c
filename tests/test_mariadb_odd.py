"""Corners of MariaDB, dumped and loaded; what the ordinary dump says of the original and of the two copies is the same."""

import subprocess

from fasciculus.core.dumping.loading import load
from fasciculus.core.dumping.mariadb import Dump
from fasciculus.reach.base import MariaDbSpec
from fasciculus.reach.mariadb import connect

ODD = r"""
CREATE DATABASE odd CHARACTER SET utf8mb3; USE odd;
CREATE TABLE booking (id INT, room VARCHAR(9), s DATE, e DATE, PERIOD FOR stay (s, e), PRIMARY KEY (id, stay WITHOUT OVERLAPS));
INSERT INTO booking VALUES (1,'a','2026-01-01','2026-02-01');
CREATE TABLE sysp (x INT) WITH SYSTEM VERSIONING PARTITION BY SYSTEM_TIME (PARTITION p0 HISTORY, PARTITION pn CURRENT);
INSERT INTO sysp VALUES (1),(2); UPDATE sysp SET x=9 WHERE x=1;
CREATE TABLE halfv (x INT, y INT WITHOUT SYSTEM VERSIONING) WITH SYSTEM VERSIONING; INSERT INTO halfv VALUES (1,2); UPDATE halfv SET x=3;
CREATE TABLE comp (a TEXT COMPRESSED, b VARCHAR(500) COMPRESSED) ROW_FORMAT=COMPRESSED; INSERT INTO comp VALUES (REPEAT('abc',100),'x');
CREATE TABLE gen (a INT, v INT AS (a+1) VIRTUAL, p INT AS (a*2) PERSISTENT, KEY(v)); INSERT INTO gen (a) VALUES (1),(NULL);
CREATE TABLE onlygen (v INT AS (1) VIRTUAL, w INT AS (2) STORED); INSERT INTO onlygen () VALUES (),();
CREATE TABLE selfref (id INT PRIMARY KEY, up INT, FOREIGN KEY (up) REFERENCES selfref(id) ON DELETE CASCADE); INSERT INTO selfref VALUES (1,NULL),(2,1);
CREATE TABLE ft (id INT PRIMARY KEY, t TEXT, g POINT NOT NULL, FULLTEXT KEY (t), SPATIAL KEY (g)); INSERT INTO ft VALUES (1,'words here',POINT(1,2));
CREATE TABLE `100%` (`50%` INT, `a.b` INT, `c d` INT, `q``q` INT); INSERT INTO `100%` VALUES (1,2,3,4);
CREATE TABLE defs (id UUID DEFAULT UUID(), n INT DEFAULT (1+2), j JSON DEFAULT '{}', ts TIMESTAMP DEFAULT CURRENT_TIMESTAMP ON UPDATE CURRENT_TIMESTAMP, e ENUM('ä','ö') CHARSET latin1, s SET('x','y') CHARSET gbk, KEY k (n) IGNORED) COMMENT='it''s "odd" \\ `x` \n new'; INSERT INTO defs (n,e,s) VALUES (5,'ö','x,y');
CREATE TABLE mem (a INT) ENGINE=MEMORY; INSERT INTO mem VALUES (5);
CREATE TABLE aria (a INT) ENGINE=Aria; INSERT INTO aria VALUES (5);
CREATE TABLE pad (a VARCHAR(9) COLLATE utf8mb4_nopad_bin PRIMARY KEY); INSERT INTO pad VALUES ('a'),('a ');
CREATE TABLE times (t TIME(6), dt DATETIME(6), y YEAR, d DATE); SET sql_mode=''; INSERT INTO times VALUES ('838:59:59.999999','9999-12-31 23:59:59.999999',0,'0000-00-00'),('-00:00:00.000001','0001-01-01',2155,'1000-01-01');
CREATE TABLE nums (a DECIMAL(65,30), b BIGINT, c TINYINT(1), d BIT(64), e BIT(1), f FLOAT(7,2), g DOUBLE(10,3), h INT(5) ZEROFILL); INSERT INTO nums VALUES (-99999999999999999999999999999999999.999999999999999999999999999999,-9223372036854775808,2,0xFFFFFFFFFFFFFFFF,b'1',1.25,3.125,42);
CREATE TABLE ip4 (a INET4, b INET6); INSERT INTO ip4 VALUES ('1.2.3.4','::ffff:1.2.3.4');
CREATE TABLE bins (a CHAR(5) CHARACTER SET binary, b VARCHAR(9) BINARY, c TINYBLOB, d CHAR(0)); INSERT INTO bins VALUES ('ab','x',0x00,''),(NULL,NULL,NULL,NULL);
CREATE SEQUENCE s2 START WITH -5 INCREMENT BY -2 MINVALUE -100 MAXVALUE 10 CYCLE NOCACHE; SELECT NEXTVAL(s2), NEXTVAL(s2);
CREATE ALGORITHM=TEMPTABLE DEFINER=nobody@nowhere SQL SECURITY INVOKER VIEW v1 (`one two`, b) AS SELECT a, v FROM gen WHERE a > 0;
CREATE VIEW v0 AS SELECT * FROM v1; CREATE VIEW v2 AS SELECT 'v0' AS x, COUNT(*) c FROM v0 JOIN v1;
DELIMITER //
CREATE AGGREGATE FUNCTION agg(x INT) RETURNS INT BEGIN DECLARE r INT DEFAULT 0; DECLARE CONTINUE HANDLER FOR NOT FOUND RETURN r; LOOP FETCH GROUP NEXT ROW; SET r = r + x; END LOOP; END//
CREATE DEFINER=nobody@nowhere FUNCTION f1(x VARCHAR(9) CHARSET latin1) RETURNS VARCHAR(9) CHARSET utf8mb4 READS SQL DATA SQL SECURITY INVOKER COMMENT 'c''s' BEGIN /* // ; */ RETURN CONCAT(x,'//','é🪶'); END//
CREATE PROCEDURE `p ``q`(INOUT a INT, OUT b TEXT) BEGIN SELECT 1; END//
CREATE TRIGGER t1 AFTER INSERT ON selfref FOR EACH ROW BEGIN SET @x = NEW.id; END//
CREATE EVENT e1 ON SCHEDULE EVERY 90 MINUTE STARTS '2030-01-01 00:00:00' ENDS '2031-01-01 00:00:00' ON COMPLETION PRESERVE DISABLE COMMENT 'x' DO BEGIN SELECT 1; SELECT 2; END//
SET sql_mode='ORACLE'//
CREATE OR REPLACE PACKAGE pk AS FUNCTION a RETURN INT; END//
CREATE OR REPLACE PACKAGE BODY pk AS FUNCTION a RETURN INT AS BEGIN RETURN 5; END; END//
DELIMITER ;
"""
DETAILS = [
    "--routines",
    "--events",
    "--triggers",
    "--skip-comments",
    "--dump-history",
    "--skip-extended-insert",
    "--hex-blob",
    "--order-by-primary",
]


def test_corners_come_back_as_they_were(mariadb):
    client = ["mariadb", "-S", mariadb.socket, "--default-character-set=utf8mb4"]
    subprocess.run(client, input=ODD, text=True, check=True, stdout=subprocess.DEVNULL)
    spec = MariaDbSpec(socket=mariadb.socket, user="fasciculus", password="ledger")
    with connect(spec) as server:
        dump = Dump(server, "odd")
        members = list(dump)
    assert [note.partition(" is of ")[0] for note in dump.done.notes] == ["table odd.aria", "table odd.mem"]
    assert dump.done.tables["sysp"] == 3, "with the row as it was before"
    mariadb.run("CREATE DATABASE odd_client", "CREATE DATABASE odd_ours")
    # Without settings of its own, as somebody in a hurry would.
    subprocess.run(
        ["mariadb", "-S", mariadb.socket, "odd_client"], input=b"".join(m.data for m in members), check=True
    )
    with connect(spec) as server:
        server.rows("USE odd_ours")
        load((m.data for m in members), server.execute)

    def told(database: str) -> str:
        command = ["mariadb-dump", "-S", mariadb.socket, *DETAILS, database]
        return subprocess.run(command, check=True, capture_output=True, text=True).stdout

    original = told("odd")
    assert len(original) > 10_000 and "PACKAGE BODY" in original
    assert told("odd_client") == original
    assert told("odd_ours") == original
