#include "files/exchange_export.h"
#include "files/table_csv.h"
#include "tables/plan_tables.h"

namespace greymet::files {

std::string exchange_csv(const model::ResolvedPlan& resolved) {
  return table_csv(tables::transactions_table(resolved), {"fingerprint", fingerprint_of(resolved)});
}

}  // namespace greymet::files
