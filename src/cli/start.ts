import { addressesOf } from "../server/database/address";
import { openPool } from "../server/database/pool";
import { addressesFrom } from "../server/http/guard";
import { firstToken } from "../server/people/first";
import { settingFaults } from "./settings";
import { standing } from "./standing";

const faults = settingFaults(process.env);
if (faults.length > 0) {
  console.error(faults.join("\n"));
  process.exit(2);
}
const elsewhere = process.env.PLEXTAN_DATABASE ? addressesOf(process.env.PLEXTAN_DATABASE) : undefined;
const served = await standing(
  { databaseFolder: process.env.PLEXTAN_DATA ?? "var/data", accounts: true, ...(elsewhere ? { elsewhere } : {}) },
  "src/cli/start.ts",
);
const address = addressesFrom(process.env.PLEXTAN_ORIGINS).origins[0] ?? served.url;
const pool = openPool(elsewhere ?? served.database.address, 1);
const token = await firstToken(pool);
await pool.end();
console.log(`\nPlextan is ready at ${address}\nStop it with Ctrl+C.`);
if (token)
  console.log(
    `\nIt has no owner yet. Make the first one here; the address is good until the next start:\n${address}/first#${token}`,
  );
