#!/usr/bin/env bash
# Draws the gallery: every script of this folder, its pictures, and the page with both side by side.
# usage: make.sh PROGRAM
set -euo pipefail
program=$(realpath "$1")
cd "$(dirname "${BASH_SOURCE[0]}")"
rm -rf pictures
page="# Gallery

Every kind of layer and every group of options with its script. \`./dev gallery\` draws all pictures. The size below a picture
is that of the figure as an [interactive page](../guide/pages.md) (\`formats: \"html\"\`).
"
settings=$(mktemp)
trap 'rm -f "$settings"' EXIT
echo "formats = png html" >"$settings"
order="line matrix_lines functions scatter markers stems steps bars categories labels residuals histogram bands heatmap image filled arrows surface space
  scales time axes legends notes formulas panels inset extended themes cycle palettes compass animation"
for name in $order; do
  "$program" run "$name.eq" --out "pictures/$name" --also-read ../../examples --config "$settings" --quiet >/dev/null
  title=$(sed -n 's/^#: *//p;q' "$name.eq")
  pictures=""
  # In the order in which the script draws them.
  for picture in $(cd "pictures/$name" && ls -tr -- *.png); do
    mv "pictures/$name/$picture" pictures/
    bytes=$(stat -c %s "pictures/$name/${picture%.png}.html")
    pictures+="<img src=\"pictures/$picture\" width=\"460\" alt=\"${title//\`/}\"><br><sub>interactive page: $(((bytes + 500) / 1000)) kB</sub><br>"
  done
  rm -r "pictures/$name" # with the record of the run
  page+="
## $title

<table><tr><td valign=\"top\">$pictures</td><td valign=\"top\">

\`\`\`quill
$(sed 1d "$name.eq")
\`\`\`

</td></tr></table>
"
done
printf '%s' "$page" > README.md
echo "gallery: $(ls pictures | wc -l) pictures in $(pwd)/README.md"
