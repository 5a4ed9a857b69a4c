import { startCluster } from "../../tests/cluster/nodes";
import { migrate } from "../server/database/migrate";
import { openPool } from "../server/database/pool";

const t = Date.now();
const c = await startCluster(3);
console.log("up", Date.now() - t);
try {
  const r = await Promise.allSettled(c.nodes.map((n) => migrate(n.address)));
  console.log(
    r.map((x) => (x.status === "fulfilled" ? x.value.length : String(x.reason))),
    Date.now() - t,
  );
  const pool = openPool(
    c.nodes.map((n) => n.address),
    4,
  );
  console.log((await pool.query("SELECT COUNT(*) AS n FROM doors"))[0]);
  console.log(
    (
      await pool.query(
        "INSERT INTO doors (name, passed) VALUES ('x', 1) ON DUPLICATE KEY UPDATE passed = passed + 1 RETURNING passed",
      )
    )[0],
  );
  await pool.end();
} finally {
  await c.stop();
}
process.exit(0);
