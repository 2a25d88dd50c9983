#!/usr/bin/env bash
# Makes the recipes: each script of examples/recipes as a page with its output and figures.
# usage: make.sh PROGRAM
set -euo pipefail
program=$(realpath "$1")
cd "$(dirname "${BASH_SOURCE[0]}")"
rm -rf pictures ./*.md
names="messy_table time_series level_record compare_samples regression oscillation rate_constants parameter_study error_propagation residuals uncertain_field"
index="# Recipes

Whole jobs, each a script with its output. Run one with \`eager-quill run examples/recipes/NAME.eq --out out\` in the folder of the project.
"
for name in $names; do
  script=../../examples/recipes/$name.eq
  "$program" report "$script" -o "$name.md" --out pictures --also-read ../../examples --no-record --no-config --quiet
  # The facts of this run are not those of the reader's.
  sed -i '/^## Record of the run$/,$d' "$name.md"
  printf '\nThe whole script: [%s](%s)\n' "$name.eq" "$script" >>"$name.md"
  index+="
- [$(sed -n 's/^#: # *//p;q' "$script")]($name.md)"
done
find pictures -type f ! -name '*.png' -delete
printf '%s\n' "$index" >README.md
echo "recipes: $(ls ./*.md | wc -l) pages in $(pwd)"
