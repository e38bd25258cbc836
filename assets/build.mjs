// Builds what the pages load: styles by Tailwind, fonts, icons and Alpine copied from their packages. node build.mjs [FOLDER]
import { execFileSync } from "node:child_process";
import { copyFileSync, mkdirSync, rmSync } from "node:fs";

const built = process.argv[2] ?? "kalyptra/design/static/design/built";
rmSync(built, { recursive: true, force: true });
for (const folder of ["fonts", "vendor"]) mkdirSync(`${built}/${folder}`, { recursive: true });

const fonts = {
  "atkinson-hyperlegible": ["latin-400-normal", "latin-700-normal"],
  "ibm-plex-mono": ["latin-400-normal", "latin-500-normal"],
};
for (const [name, cuts] of Object.entries(fonts)) {
  for (const cut of cuts) {
    copyFileSync(`node_modules/@fontsource/${name}/files/${name}-${cut}.woff2`, `${built}/fonts/${name}-${cut}.woff2`);
  }
  copyFileSync(`node_modules/@fontsource/${name}/LICENSE`, `${built}/fonts/${name}-LICENSE.txt`);
}
copyFileSync("node_modules/@alpinejs/csp/dist/cdn.min.js", `${built}/vendor/alpine-csp.min.js`);
execFileSync("node_modules/.bin/tailwindcss", ["-i", "assets/styles.css", "-o", `${built}/styles.css`, "--minify"], {
  stdio: ["ignore", "inherit", "inherit"],
});
