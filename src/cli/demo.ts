import { serve } from "./serve";

const wanted = Number(process.env.PORT ?? 0);
const served = await serve({ databaseFolder: "var/db", ...(wanted > 0 ? { port: wanted } : {}), log: (line) => console.log(line) });
console.log(`\nPlextan is ready at ${served.url}\nStop it with Ctrl+C.`);

let ending = false;
const end = async () => {
  if (ending) return;
  ending = true;
  await served.stop();
  process.exit(0);
};
process.on("SIGINT", end);
process.on("SIGTERM", end);
served.app.once("exit", () => {
  if (ending) return;
  console.error("The app stopped unexpectedly.");
  void end();
});
