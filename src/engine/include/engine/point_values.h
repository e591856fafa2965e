// The last value of every point that reads bring, and values on their way into writes.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "engine/controller_memory.h"
#include "engine/expected_values.h"
#include "engine/master.h"
#include "modbus/value_codec.h"

namespace greymet::engine {

// One point as it was read last.
struct PointValue {
  std::size_t slave = 0;
  std::size_t point = 0;                  // into the slave's map
  std::size_t transaction = 0;            // that reads it, the first that does
  std::vector<std::uint16_t> words;       // as they lie in memory; empty: never read
  std::optional<model::WordOrder> order;  // of these words
  Duration at{};
};

// The points of one run. One thread.
class PointValues {
 public:
  // Keeps a reference. Reads of these controllers; of all if there are none.
  explicit PointValues(const model::ResolvedPlan& plan,
                       const std::vector<std::size_t>& controllers = {});
  void add(const RequestRecord& record);
  // Every point that some transaction reads, slave by slave, in the order of their maps.
  [[nodiscard]] const std::vector<PointValue>& values() const { return values_; }
  [[nodiscard]] const PointValue* find(std::size_t slave, std::size_t point) const;
  [[nodiscard]] const model::Point& point_of(const PointValue& value) const;
  // Nothing where it was never read, or the words are no such value.
  [[nodiscard]] std::optional<modbus::RawValue> raw(const PointValue& value) const;
  // The same, ready to be shown and compared.
  [[nodiscard]] std::optional<FoundValue> found(const PointValue& value) const;
  // "12.5", "true", "PUMP 3", in engineering units; "-" where there is none.
  [[nodiscard]] std::string text(const PointValue& value) const;
  [[nodiscard]] std::optional<double> number(const PointValue& value) const;

 private:
  // Where a point lies in what a transaction reads.
  struct Part {
    std::size_t value = 0;
    std::size_t first = 0;
    std::size_t count = 0;
    std::optional<model::WordOrder> order;
  };
  const model::ResolvedPlan& plan_;
  std::vector<PointValue> values_;
  std::vector<std::vector<Part>> parts_;  // per transaction of the resolved plan
};

// Some write of the plan carries the whole point.
[[nodiscard]] bool is_written(const model::ResolvedPlan& plan, std::size_t slave,
                              std::size_t point);
// This transaction does.
[[nodiscard]] bool is_written_by(const model::ResolvedPlan& plan, std::size_t transaction,
                                 std::size_t slave, std::size_t point);
// Puts what the plan always sends into the memory that is sent, in the order in which it lies
// there.
void put_constants(const model::ResolvedPlan& plan, std::vector<ControllerMemory>& memories);
// Puts a value for a point where each write that carries the point takes it from, in the order in
// which it lies there.
void put_for_writes(const model::ResolvedPlan& plan, std::size_t slave, std::size_t point,
                    const modbus::RawValue& raw, const std::vector<ControllerMemory*>& memories);

}  // namespace greymet::engine
