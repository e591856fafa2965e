// The tables of quick answers: what an address means, what words may hold, what stands in a frame,
// what a log says of a point.
#pragma once

#include "files/answers_json.h"
#include "files/log_reader.h"
#include "tables/table.h"

namespace greymet::files {

// One row a reading of each text.
[[nodiscard]] tables::Table addresses_table(const std::vector<AddressQuestion>& questions);
// One row an order of the words.
[[nodiscard]] tables::Table readings_table(const modbus::ValueQuestion& question,
                                           const std::vector<modbus::ValueReading>& readings);
// One row a field of each frame.
[[nodiscard]] tables::Table fields_table(const std::vector<FrameAnswer>& frames);
// One row a point that is followed.
[[nodiscard]] tables::Table trends_table(const LogTrends& trends);
// One row a sample, and one each time it was written.
[[nodiscard]] tables::Table samples_table(const LogTrends& trends);

}  // namespace greymet::files
