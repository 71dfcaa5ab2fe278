#!/usr/bin/env bash
# Fetches the front-end files that the application serves itself, from the npm registry, at fixed versions.
# Run it only to change a version; the files are committed under src/elmpeg/web/static/vendor.
set -euo pipefail
root=$(cd "$(dirname "$0")/.." && pwd)
vendor="$root/src/elmpeg/web/static/vendor"
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
cd "$work"
npm init -y >/dev/null
npm install --no-audit --no-fund --save-exact \
  htmx.org@2.0.11 idiomorph@0.8.0 bulma@1.0.4 chart.js@4.6.1 \
  @fontsource-variable/atkinson-hyperlegible-next@5.3.0 @fontsource-variable/atkinson-hyperlegible-mono@5.3.0 \
  axe-core@4.14.1
rm -rf "$vendor" && mkdir -p "$vendor"
m=node_modules
# For the tests only, which look at every page with it.
checks="$root/tests/browser/vendor"
rm -rf "$checks" && mkdir -p "$checks"
cp node_modules/axe-core/axe.min.js "$checks/axe-4.14.1.min.js"
cp node_modules/axe-core/LICENSE "$checks/LICENSE-axe-core.txt"
cp node_modules/axe-core/LICENSE-3RD-PARTY.txt "$checks/LICENSE-axe-core-3rd-party.txt"
take() { cp "$m/$1" "$vendor/$2"; }
take htmx.org/dist/htmx.min.js htmx-2.0.11.min.js
take idiomorph/dist/idiomorph-ext.min.js idiomorph-ext-0.8.0.min.js
take bulma/css/bulma.min.css bulma-1.0.4.min.css
take chart.js/dist/chart.umd.min.js chart-4.6.1.min.js
for face in next mono; do
  for part in latin latin-ext; do
    take "@fontsource-variable/atkinson-hyperlegible-$face/files/atkinson-hyperlegible-$face-$part-wght-normal.woff2" "atkinson-$face-$part.woff2"
  done
done
for package in htmx.org idiomorph bulma chart.js @fontsource-variable/atkinson-hyperlegible-next @fontsource-variable/atkinson-hyperlegible-mono; do
  name=${package//[@\/]/-}
  cp "$m/$package/LICENSE"* "$vendor/LICENSE${name:+-$name}.txt"
done
node -e '
const names = ["htmx.org","idiomorph","bulma","chart.js","@fontsource-variable/atkinson-hyperlegible-next","@fontsource-variable/atkinson-hyperlegible-mono"];
console.log("# Front-end files served by the application\n\n| package | version | licence |\n| --- | --- | --- |");
for (const n of names) { const p = require("./node_modules/" + n + "/package.json"); console.log(`| ${n} | ${p.version} | ${p.license} |`); }
' > "$vendor/README.md"
