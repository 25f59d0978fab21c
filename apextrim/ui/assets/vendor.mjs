// Copies what the pages load from node_modules into the committed static files, with the licences.
import { copyFileSync, mkdirSync } from "node:fs";

const target = "apextrim/ui/static/ui";
const files = [
  ["htmx.org/dist/htmx.min.js", `${target}/vendor/htmx.min.js`],
  ["htmx.org/LICENSE", `${target}/vendor/htmx.LICENSE`],
  ["@alpinejs/csp/dist/cdn.min.js", `${target}/vendor/alpine-csp.min.js`],
  ["uplot/dist/uPlot.iife.min.js", `${target}/vendor/uplot.min.js`],
  ["uplot/dist/uPlot.min.css", `${target}/vendor/uplot.min.css`],
  ["uplot/LICENSE", `${target}/vendor/uplot.LICENSE`],
  ["@fontsource-variable/atkinson-hyperlegible-next/files/atkinson-hyperlegible-next-latin-wght-normal.woff2", `${target}/fonts/next.woff2`],
  ["@fontsource-variable/atkinson-hyperlegible-next/LICENSE", `${target}/fonts/next.LICENSE`],
  ["@fontsource-variable/atkinson-hyperlegible-mono/files/atkinson-hyperlegible-mono-latin-wght-normal.woff2", `${target}/fonts/mono.woff2`],
  ["@fontsource-variable/atkinson-hyperlegible-mono/LICENSE", `${target}/fonts/mono.LICENSE`],
  ["axe-core/axe.min.js", "tests/browser/vendor/axe.min.js"],
  ["axe-core/LICENSE", "tests/browser/vendor/axe.LICENSE"],
];
for (const [from, to] of files) {
  mkdirSync(to.slice(0, to.lastIndexOf("/")), { recursive: true });
  copyFileSync(`node_modules/${from}`, to);
}
