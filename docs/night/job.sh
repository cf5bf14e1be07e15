#!/usr/bin/env bash
# What a studio's machine does at night: a card of field recordings in, prepared sounds, instruments and
# samples out, with a manifest. Whatever cannot be done is named in errors.txt, and stops nothing else.
#
#   job.sh CARD OUT
set -u -o pipefail
card=$1 out=$2 here=$(cd "$(dirname "$0")" && pwd)
jobs=$(nproc)
mkdir -p "$out" && exec 2> >(tee "$out/errors.txt" >&2)

say() { echo "$(date +%H:%M:%S) $*"; }
count() { grep -vc '"error"' "$1"; }

say "measuring $(ls "$card" | wc -l) files"
bloom inspect "$card"/* --brief --json > "$out/measured.ndjson"
say "preparing $(count "$out/measured.ndjson") sounds"
bloom prepare "$card"/* --recipe "$here/recipe.json" --out "$out/prepared/{name}.wav" \
    --jobs "$jobs" --json > "$out/prepared.ndjson"
say "growing instruments of $(count "$out/prepared.ndjson")"
bloom new "$out"/prepared/*.wav --out "$out/instruments/{name}.zip" --jobs "$jobs" --json > "$out/grown.ndjson"
bloom validate "$out"/instruments/*.zip --json > "$out/validated.ndjson"
say "sampling $(count "$out/validated.ndjson") instruments"
sample() {
    bloom sample "$1" --out "$2/samples/$(basename "$1" .zip)" --key-low 48 --key-high 60 --step 6 --placing evenly \
        --velocities 1 --seconds 1.5 --format flac --jobs 1 --quiet
}
export -f sample
printf '%s\0' "$out"/instruments/*.zip | xargs -0 -P "$jobs" -n 1 bash -c 'sample "$1" "$0"' "$out"
say "exporting"
bloom export "$out"/prepared/*.wav --out "$out/flac" --format flac --rate 48000 --quiet
(cd "$out" && find prepared instruments samples flac -type f -print0 | sort -z | xargs -0 sha256sum > manifest.sha256)
grep -h '"error"' "$out"/*.ndjson >&2
say "done: $(wc -l < "$out/manifest.sha256") files in the manifest, $(ls "$out/samples" | wc -l) sampled instruments"
