import path from "node:path";
import { addressesOf } from "../server/database/address";
import { BackupError, readBackup, writeBackup, writeBackupOf } from "../server/database/backup";

/** Names are meant as whoever calls wrote them, from where they stand. */
const named = (file: string) => path.resolve(process.env.PLEXTAN_CALLER ?? ".", file);
const [act, ...args] = process.argv.slice(2);
const data = process.env.PLEXTAN_DATA ? named(process.env.PLEXTAN_DATA) : path.resolve("var/data");

try {
  if (act === "backup" && args.length <= 1) {
    const stamp = new Date().toISOString().slice(0, 16).replace("T", "-").replace(":", "");
    const to = named(args[0] ?? `plextan-${stamp}.sql.gz`);
    const elsewhere = process.env.PLEXTAN_DATABASE;
    const bytes = elsewhere ? await writeBackupOf(addressesOf(elsewhere), to) : await writeBackup(data, to);
    console.log(
      `${to}\n${bytes < 1e6 ? `${Math.ceil(bytes / 1000)} kB` : `${(bytes / 1e6).toFixed(1)} MB`}. Keep it as you keep passwords.`,
    );
  } else if (act === "restore" && (args.length === 1 || args.length === 2)) {
    const folder = args[1] ? named(args[1]) : data;
    await readBackup(named(args[0] as string), folder);
    console.log(`It is in ${folder}. Start it: PLEXTAN_DATA=${folder} bin/start`);
  } else {
    console.error("bin/backup [FILE]\nbin/restore FILE [FOLDER]");
    process.exitCode = 2;
  }
} catch (error) {
  console.error(error instanceof BackupError ? error.message : `Unexpected: ${(error as Error).message}`);
  process.exitCode = 1;
}
