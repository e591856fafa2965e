#include "files/exports.h"

#include <array>

#include "files/exchange_export.h"

namespace greymet::files {
namespace {

constexpr std::array exports{
    Export{"json", "exchange.json", exchange_json},
    Export{"csv", "exchange.csv", exchange_csv},
};

}  // namespace

std::span<const Export> all_exports() {
  return exports;
}

}  // namespace greymet::files
