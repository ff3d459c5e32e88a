#!/usr/bin/env bash
# Makes seeds and runs fuzz targets one after another: fuzz/run.sh SECONDS [TARGETS]
set -euo pipefail
cd "$(dirname "$0")/.."
seconds=${1:?how many seconds for each target}
shift
targets=("$@")
if [ ${#targets[@]} -eq 0 ]; then
  targets=(headers metadata decode_jpeg repack_jpeg decode_png decode_webp decode_gif decode_tiff decode_avif decode_few slim_svg trace_svg finished write_png code_av1 kiln_file label_sheet ledger server_answers site_html site_css site_texts)
fi
cargo run --quiet --release -p kiln-core --example seeds -- fuzz/corpus
mkdir -p fuzz/corpus/{decode_few,slim_svg,trace_svg,write_png,code_av1,repack_jpeg,kiln_file,label_sheet,ledger,server_answers,site_html,site_css,site_texts}
cp fuzz/corpus/decode_jpeg/* fuzz/corpus/repack_jpeg/
# Any bytes are pixels.
cp fuzz/corpus/decode_png/* fuzz/corpus/write_png/
cp fuzz/corpus/decode_png/* fuzz/corpus/code_av1/
cp fuzz/corpus/decode_png/* fuzz/corpus/trace_svg/
for kind in bmp ico pnm qoi; do
  cp fuzz/corpus/decode_$kind/* fuzz/corpus/decode_few/
done
cp crates/cli/sample-site/originals/graphics/*.svg fuzz/corpus/slim_svg/
cp crates/cli/sample-site/kiln.toml fuzz/corpus/kiln_file/
cp crates/cli/sample-site/labels.csv fuzz/corpus/label_sheet/
cp crates/cli/sample-site/*.html fuzz/corpus/site_html/
cp crates/cli/sample-site/*.css fuzz/corpus/site_css/
cp crates/cli/sample-site/notes/*.md fuzz/corpus/slim_svg/*.svg fuzz/corpus/site_texts/
for ledger in crates/cli/tests/ledgers/*/kiln-ledger.json; do
  cp "$ledger" "fuzz/corpus/ledger/$(basename "$(dirname "$ledger")").json"
done
for target in "${targets[@]}"; do
  mkdir -p "fuzz/kept/$target"
  echo "== $target"
  # The AV1 decoder loses 48 bytes with every picture.
  leaks=1
  case "$target" in finished | decode_avif | code_av1) leaks=0 ;; esac
  cargo +nightly fuzz run "$target" "fuzz/corpus/$target" "fuzz/kept/$target" -- \
    -detect_leaks=$leaks \
    -max_total_time="$seconds" -max_len=60000 -timeout=20 -rss_limit_mb=4096 -print_final_stats=1
done
