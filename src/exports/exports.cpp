#include "exports/exports.h"

#include <array>

#include "files/exchange_export.h"

namespace greymet::exports {

// exchange.xlsx: sheets of transactions, points, memory, timing and findings.
ExportedFiles export_workbook(const ExportInput& input);
// CONTROLLER.st: IEC 61131-3 Structured Text.
ExportedFiles export_structured_text(const ExportInput& input);
// CONTROLLER.plcopen.xml: the same program in the exchange format of PLCopen TC6, 2.01.
ExportedFiles export_plcopen(const ExportInput& input);
// things/SLAVE.td.json: a W3C Thing Description of each slave that has a map.
ExportedFiles export_things(const ExportInput& input);

namespace {

ExportedFiles export_json(const ExportInput& input) {
  return {{{"exchange.json", files::exchange_json(input.plan)}}};
}

ExportedFiles export_csv(const ExportInput& input) {
  return {{{"exchange.csv", files::exchange_csv(input.plan)}}};
}

constexpr std::array exports{
    Export{"json", "exchange.json: all that decides what happens, with its fingerprint",
           export_json},
    Export{"csv", "exchange.csv: one row a transaction", export_csv},
    Export{"xlsx", "exchange.xlsx: transactions, points, memory, timing, findings",
           export_workbook},
    Export{"st", "CONTROLLER.st: Structured Text of IEC 61131-3", export_structured_text},
    Export{"plcopen", "CONTROLLER.plcopen.xml: the same program as PLCopen XML", export_plcopen},
    Export{"things", "things/SLAVE.td.json: a W3C Thing Description of each slave", export_things},
};

}  // namespace

std::span<const Export> all_exports() {
  return exports;
}

}  // namespace greymet::exports
