// Take the addresses (funding pages, download places) out of web/package-lock.json; `npm ci` needs none.
const fs = require("fs");

const lock = JSON.parse(fs.readFileSync("package-lock.json", "utf8"));
for (const entry of Object.values(lock.packages)) {
  delete entry.funding;
  delete entry.resolved;
}
fs.writeFileSync("package-lock.json", JSON.stringify(lock, null, 2) + "\n");
