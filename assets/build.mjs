// Builds what of voltaun/static comes from the style sheet here and the npm packages of the lock file, and writes down
// what it was built from (built.json), so that a test notices when the committed files are stale. Our own scripts, the
// night's sheet and the icons are served as they are written, and live there.

import { execFileSync } from "node:child_process";
import { createHash } from "node:crypto";
import { copyFileSync, mkdirSync, readFileSync, readdirSync, rmSync, writeFileSync } from "node:fs";
import { dirname, join, relative } from "node:path";
import { fileURLToPath } from "node:url";

const here = dirname(fileURLToPath(import.meta.url));
const root = dirname(here);
const out = join(root, "voltaun", "static");
const modules = join(here, "node_modules");
const fonts = { "atkinson-hyperlegible-next": "atkinson-next", "brygada-1918": "brygada" };

rmSync(join(out, "fonts"), { recursive: true, force: true });
mkdirSync(join(out, "fonts"), { recursive: true });
for (const [name, shipped] of Object.entries(fonts)) {
  const from = join(modules, "@fontsource-variable", name);
  copyFileSync(join(from, "files", `${name}-latin-wght-normal.woff2`), join(out, "fonts", `${shipped}.woff2`));
  copyFileSync(join(from, "LICENSE"), join(out, "fonts", `${shipped}.OFL.txt`));
}
copyFileSync(join(modules, "htmx.org", "dist", "htmx.min.js"), join(out, "htmx.min.js"));
copyFileSync(join(modules, "@alpinejs", "csp", "dist", "cdn.min.js"), join(out, "alpine-csp.min.js"));
execFileSync(join(modules, ".bin", "tailwindcss"), ["-i", join(here, "app.css"), "-o", join(out, "app.css"), "--minify"], {
  cwd: here,
  stdio: ["ignore", "ignore", "inherit"],
});

const vendor = join(root, "tests", "browser", "vendor");
mkdirSync(vendor, { recursive: true });
copyFileSync(join(modules, "axe-core", "axe.min.js"), join(vendor, "axe.min.js"));

const sources = ["assets/app.css", "assets/build.mjs", "assets/package-lock.json"];
const walk = (folder) =>
  readdirSync(folder, { withFileTypes: true }).flatMap((entry) =>
    entry.isDirectory() ? walk(join(folder, entry.name)) : [join(folder, entry.name)]);
for (const file of walk(join(root, "voltaun", "pages"))) {
  if (/\.(html|py)$/.test(file)) sources.push(relative(root, file));
}
const digest = (files) => {
  const hash = createHash("sha256");
  for (const file of files.sort()) {
    hash.update(`${file}\0`).update(readFileSync(join(root, file))).update("\0");
  }
  return hash.digest("hex");
};
const made = [...walk(join(out, "fonts")), ...["htmx.min.js", "alpine-csp.min.js", "app.css"].map((name) => join(out, name))];
const built = made.map((file) => relative(root, file));
writeFileSync(join(out, "built.json"), `${JSON.stringify({ sources: digest(sources), built: digest(built) }, null, 1)}\n`);
