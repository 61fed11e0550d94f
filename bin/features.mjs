// Tells which dependencies `cargo test -p CRATE` would build anew beside those of the whole workspace,
// and the features with which crates/features would have to name them.
import { execFileSync } from "node:child_process";
import { readdirSync } from "node:fs";

/** The units that cargo would build, each by what makes it another one. */
function units(...which) {
  const args = ["test", "--locked", "--no-run", "--unit-graph", "-Zunstable-options", ...which];
  // The graph can be asked for with an unstable option only; nothing is built.
  const env = { ...process.env, RUSTC_BOOTSTRAP: "1" };
  const graph = JSON.parse(execFileSync("cargo", args, { env, maxBuffer: 1 << 28, encoding: "utf8" }));
  return new Map(
    graph.units.map(({ pkg_id, target, features, mode, profile }) => [
      JSON.stringify([pkg_id, target.name, target.kind, features, mode, profile]),
      { name: pkg_id.split(/[#/]/).at(-1), features },
    ]),
  );
}

const whole = units("--workspace");
let lacking = 0;
for (const folder of [...readdirSync(new URL("../crates", import.meta.url)), "e2e"]) {
  if (folder === "features") continue;
  for (const [key, { name, features }] of units("-p", `brisk-margin-${folder}`)) {
    if (whole.has(key) || name.startsWith("brisk-margin")) continue;
    const others = [...whole.values()].filter((unit) => unit.name === name).flatMap((unit) => unit.features);
    console.log(`${folder}: ${name} has ${features.join(" ")}; the workspace ${[...new Set(others)].join(" ")}`);
    lacking += 1;
  }
}
console.log(lacking === 0 ? "Every crate's tests use what the workspace builds." : `${lacking} units would be built anew.`);
process.exitCode = lacking === 0 ? 0 : 1;
