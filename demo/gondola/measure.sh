#!/bin/sh
# npm run demo:coverage: compiles the controller with gcc's coverage, runs it once per case, and writes one LCOV tracefile a
# case (by Debian's lcov from gcc's own data), the compiler's own totals beside them, and the source tree as a ZIP.
set -eu
export PERL_HASH_SEED=0
here=$(cd "$(dirname "$0")" && pwd)
out="$here/../coverage"
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
command -v gcc >/dev/null && command -v lcov >/dev/null && command -v zip >/dev/null || { echo "gcc, lcov and zip are needed: apt-get install gcc lcov zip" >&2; exit 1; }
cp -r "$here/src" "$here/rig" "$work"
cd "$work"
for file in src/*.c; do gcc -O0 -g --coverage -Isrc -c "$file" -o "$(basename "$file" .c).o"; done
gcc -O0 -Isrc -c rig/rig.c -o rig.o
gcc --coverage ./*.o -o gondola
rm -rf "$out"
mkdir -p "$out/lcov"
failed=""
for key in $(sed -n 's/^case //p' "$here/cases.txt"); do
    # Cases that people do by hand (no rig command) measure nothing.
    awk -v k="$key" '$1=="case"{on=($2==k)} on&&($1=="start"||$1=="init"){found=1} END{exit !found}' "$here/cases.txt" || continue
    rm -f ./*.gcda
    ./gondola "$here/cases.txt" "$key" > log.txt || { failed="$failed $key"; cat log.txt; }
    lcov --quiet --capture --directory . --base-directory "$work" --rc lcov_branch_coverage=1 --test-name "$(echo "$key" | tr - _)" --output-file raw.info 2>>lcov.log
    lcov --quiet --rc lcov_branch_coverage=1 --extract raw.info "$work/src/*" --output-file "$out/lcov/$key.info" 2>>lcov.log
    sed -i "s#SF:$work/#SF:/build/gondola/#" "$out/lcov/$key.info"
    # The compiler's own totals of this run, for the tests.
    gcov -b -n ./*.gcda 2>/dev/null > gcov.txt
    awk -v k="$key" '
        /^File /{ f=$2; gsub(/\x27/, "", f); use=(f ~ /^src\/.*\.c$/) }
        use && /^Lines executed:/ && !seen[f]++{ split($0, a, /[:%]/); n=$0; sub(/.* of /, "", n); printf "%s\t%s\tlines\t%s\t%s\n", k, f, a[2], n }
        use && /^Taken at least once:/{ split($0, a, /[:%]/); n=$0; sub(/.* of /, "", n); printf "%s\t%s\tbranches\t%s\t%s\n", k, f, a[2], n }
    ' gcov.txt >> "$out/gcov-totals.tsv"
done
(cd "$here" && zip -q -X -r "$out/sources.zip" src)
echo "coverage of $(ls "$out/lcov" | wc -l) cases in demo/coverage${failed:+; checks failed in:$failed}"
