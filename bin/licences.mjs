// Refuses dependencies of the binary whose licence is not a permissive one.
import { execFileSync } from "node:child_process";
import { readFileSync } from "node:fs";
import { dirname, join } from "node:path";

const PERMISSIVE = new Set([
  "0BSD", "Apache-2.0", "Apache-2.0 WITH LLVM-exception", "BSD-2-Clause", "BSD-3-Clause",
  "BSL-1.0", "CC0-1.0", "CDLA-Permissive-2.0", "IJG", "ISC", "MIT", "MIT-0", "NCSA",
  "Unicode-3.0", "Unlicense", "Zlib",
]);

/** Whether one side of an "or" is made only of permissive licences. */
function allowed(expression) {
  const plain = (expression ?? "").replaceAll("/", " OR ").replaceAll(/[()]/g, " ");
  return plain.split(/\s+OR\s+/).some((side) =>
    side.split(/\s+AND\s+/).every((name) => PERMISSIVE.has(name.trim())));
}

/** The licence of a package, also of one that only brings its text: the MIT licence, word for word. */
function licenceOf({ license, license_file: file, manifest_path: manifest }) {
  if (license || !file) return license;
  const text = readFileSync(join(dirname(manifest), file), "utf8").replaceAll(/\s+/g, " ");
  const grants = "Permission is hereby granted, free of charge, to any person obtaining a copy of this software and associated documentation files (the \"Software\"), to deal in the Software without restriction";
  return text.startsWith("MIT License") && text.includes(grants) ? "MIT" : license;
}

const arguments_ = [
  "metadata", "--format-version", "1", "--locked", "--filter-platform", "x86_64-unknown-linux-gnu",
];
const metadata = JSON.parse(
  execFileSync("cargo", arguments_, { encoding: "utf8", maxBuffer: 1 << 28 }),
);
const nodes = new Map(metadata.resolve.nodes.map((node) => [node.id, node]));
const start = metadata.packages.find((entry) => entry.name === "brisk-margin-cli").id;
const reached = new Set();
const pending = [start];
while (pending.length > 0) {
  const id = pending.pop();
  if (reached.has(id)) continue;
  reached.add(id);
  for (const dependency of nodes.get(id).deps) {
    // Development dependencies stay out of the binary.
    if (dependency.dep_kinds.some(({ kind }) => kind !== "dev")) pending.push(dependency.pkg);
  }
}
const refused = metadata.packages
  .filter((entry) => reached.has(entry.id) && !allowed(licenceOf(entry)))
  .map(({ name, version, license }) => `${name} ${version}: ${license ?? "no licence told"}`);
if (refused.length > 0) {
  console.error(`Dependencies without a permissive licence:\n${refused.join("\n")}`);
  process.exit(1);
}
