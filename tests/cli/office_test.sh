#!/bin/bash
# LibreOffice opens the exported workbook and finds a row a transaction in its first sheet. Skipped
# (77) where there is no LibreOffice.
set -euo pipefail
program="$1"
examples="$2"
command -v soffice >/dev/null || exit 77
folder="$(mktemp -d)"
trap 'rm -rf "$folder"' EXIT
"$program" export "$examples/maltings.toml" --only xlsx,csv -o "$folder" >/dev/null
HOME="$folder" soffice --headless --convert-to csv:"Text - txt - csv (StarCalc)":44,34,76,1,,0,false,true,false,false,false,-1 \
  --outdir "$folder/sheets" "$folder/exchange.xlsx" >/dev/null
rows="$(grep -c . "$folder/sheets/exchange-transactions.csv")"
exported="$(grep -c . "$folder/exchange.csv")"
[ "$rows" -eq "$exported" ] || { echo "$rows rows in the workbook, $exported in exchange.csv"; exit 1; }
for sheet in points memory timing findings about; do
  [ -s "$folder/sheets/exchange-$sheet.csv" ] || { echo "no sheet $sheet"; exit 1; }
done
grep -q '"\?burner-set"\?' "$folder/sheets/exchange-transactions.csv"
echo "LibreOffice read $rows rows of transactions and five more sheets"
