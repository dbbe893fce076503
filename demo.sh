#!/usr/bin/env bash
# From nothing to a skiff that moors itself: installs what is missing, builds, trains, evaluates,
# records and draws.
set -euo pipefail
cd "$(dirname "$0")"
cmake/install_packages.sh build
cmake --preset release -DZITHERCRAFT_TESTS=OFF -DZITHERCRAFT_BENCHMARKS=OFF \
  -DZITHERCRAFT_EXAMPLES=OFF > /dev/null
cmake --build --preset release

tool=build/release/zithercraft
out=demo-out
mkdir -p "$out"
run() { echo; echo "\$ zithercraft $*"; "$tool" "$@"; }

run show mooring --png "$out/mooring.png" --svg "$out/mooring.svg"
run train mooring --run "$out/run" --fresh
run evaluate "$out/run"
run record "$out/run" --out "$out/matches.zrep" --episodes 10
run replay "$out/matches.zrep" --check --png "$out/path.png" --html "$out/matches.html"
run report "$out/run" --html "$out/report.html"

cat <<END

Where to look:
  $out/report.html    learning curves, evaluation, reward by term, paths: open it in a browser
  $out/mooring.png    the game: a start, its rays, the path of the script
  $out/path.png       an episode of the trained policy
  $out/matches.html   ten recorded episodes, to play and step through in a browser
  $out/matches.zrep   the same as a replay file
  $out/run/           configuration, metrics and checkpoints of the training
END
