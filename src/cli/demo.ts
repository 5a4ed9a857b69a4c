import { standing } from "./standing";

const served = await standing({ databaseFolder: process.env.PLEXTAN_DATA ?? "var/db" }, "src/cli/demo.ts");
console.log(`\nPlextan is ready at ${served.url}\nStop it with Ctrl+C.`);
