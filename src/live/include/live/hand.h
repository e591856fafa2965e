// One request at a time to slaves of a plan, asked by hand: the wires, frames and timeouts of the
// plan, and nothing of its exchange. One thread.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <stop_token>
#include <vector>

#include "engine/request_record.h"
#include "live/runtime.h"
#include "modbus/frame.h"

namespace greymet::live {

// Registers or bits of one slave.
struct HandBlock {
  std::size_t slave = 0;  // into Plan::slaves
  model::Area area = model::Area::holding_register;
  std::uint32_t first = 0;
  std::uint32_t count = 1;
  bool writes = false;  // may be written, too
};

// How to get there.
struct HandOptions {
  Endpoints endpoints;
  bool lines_take_time = true;             // see engine::MasterOptions
  bool once = false;                       // without second tries, and nobody is parked
  std::optional<model::Duration> timeout;  // in place of the plan's
  std::int64_t at_once = 1;                // requests under way on one connection, on TCP
  std::stop_token stop;
};

class Hand {
 public:
  // Opens the lines and connections of their slaves alone; `plan` must have a controller, and there
  // must be a block. Fails with one line where one cannot be reached, or a block is none that a
  // request carries.
  [[nodiscard]] static tl::expected<std::unique_ptr<Hand>, LiveError> open(
      const model::ResolvedPlan& plan, const std::vector<HandBlock>& blocks,
      const HandOptions& options);
  ~Hand();
  Hand(const Hand&) = delete;
  Hand& operator=(const Hand&) = delete;

  // What goes out for the first block, as it looks at first: TCP numbers count up from 1. Bits are
  // words 0 and 1.
  [[nodiscard]] modbus::Framing framing() const;
  [[nodiscard]] modbus::Bytes read_frame() const;
  [[nodiscard]] modbus::Bytes write_frame(const std::vector<std::uint16_t>& words) const;

  // Asks, and waits for how it went: all tries of the plan. `unfinished` where a stop came first.
  // Writes are of the first block.
  [[nodiscard]] engine::RequestRecord read(std::size_t block = 0);
  // All blocks, none waiting for another where `at_once` lets them go; parallel to the blocks.
  [[nodiscard]] std::vector<engine::RequestRecord> read_all();
  // On TCP: the connection of the first block stands. True of a line.
  [[nodiscard]] bool is_connected() const;
  [[nodiscard]] engine::RequestRecord write(const std::vector<std::uint16_t>& words);
  // Lets time pass; false once a stop was asked for.
  bool wait(Duration time);
  // Of which its records speak. Lives as long as this does.
  [[nodiscard]] const model::ResolvedPlan& plan() const;
  // A device that was lost on the way; empty while all is well.
  [[nodiscard]] const std::string& failure() const;

 private:
  struct Impl;
  explicit Hand(std::unique_ptr<Impl> impl);
  std::unique_ptr<Impl> impl_;
};

}  // namespace greymet::live
