import { readdirSync, readFileSync } from "node:fs";
import { describe, expect, test } from "vitest";

const FOLDER = "db/migrations";
const files = readdirSync(FOLDER)
  .filter((f) => f.endsWith(".sql"))
  .sort();

/** The statements of a file, without its remarks. */
const statementsOf = (text: string) =>
  text
    .replace(/^\s*--.*$/gm, "")
    .split(";")
    .map((s) => s.trim().replace(/\s+/g, " "))
    .filter((s) => s !== "");

/**
 * What keeps a statement from being run while processes of the version before still work, or on a cluster; null when
 * nothing does.
 */
function faultOf(statement: string): string | null {
  if (/^CREATE TABLE /.test(statement)) {
    if (!/PRIMARY KEY/.test(statement)) return "a table without a primary key: a cluster cannot do with it";
    return /ENGINE=InnoDB$/.test(statement) ? null : "a table of another engine";
  }
  if (/^INSERT INTO /.test(statement)) return null;
  const altered = /^ALTER TABLE \w+ (.*)$/.exec(statement)?.[1];
  if (altered === undefined) return "neither a new table, nor more of one, nor rows in a new one";
  for (const part of altered.split(/, (?=[A-Z]{3,} )/)) {
    if (/^ADD (UNIQUE )?KEY \(/.test(part)) continue;
    if (!/^ADD COLUMN \w+ /.test(part)) return `${part.slice(0, 40)}: only columns and keys are added`;
    // Whoever does not know the column yet writes rows without it.
    if (/NOT NULL/.test(part) && !/ DEFAULT /.test(part)) return `${part.slice(0, 40)}: it needs a default`;
  }
  return null;
}

describe("migrations only ever add, so that processes of the version before go on beside them", () => {
  test.each(files)("%s", (file) => {
    const statements = statementsOf(readFileSync(`${FOLDER}/${file}`, "utf8"));
    expect(statements.length).toBeGreaterThan(0);
    for (const s of statements) expect(faultOf(s), s.slice(0, 60)).toBeNull();
  });

  test.each([
    ["DROP TABLE users", "neither a new table"],
    ["ALTER TABLE users DROP COLUMN name", "only columns and keys are added"],
    ["ALTER TABLE users MODIFY COLUMN name VARCHAR(10) NOT NULL DEFAULT ''", "only columns and keys are added"],
    ["ALTER TABLE users ADD COLUMN age INT NOT NULL", "it needs a default"],
    ["ALTER TABLE users ADD COLUMN age INT NULL, ADD COLUMN size INT NOT NULL", "it needs a default"],
    ["CREATE TABLE t (a INT) ENGINE=InnoDB", "without a primary key"],
    ["CREATE TABLE t (a INT PRIMARY KEY) ENGINE=MyISAM", "another engine"],
    ["UPDATE users SET name = ''", "neither a new table"],
  ])("%s is told", (statement, why) => {
    expect(faultOf(statement)).toContain(why);
  });
});
