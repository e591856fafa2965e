// Everybody who answers: field slaves with their register maps, and controllers to their peers.
//
// No clock and no sockets: whoever carries requests says when one arrived. One thread.
#pragma once

#include <array>
#include <cstdint>
#include <map>
#include <memory>
#include <optional>
#include <set>
#include <string>
#include <tuple>
#include <utility>
#include <vector>

#include "engine/controller_memory.h"
#include "engine/faults.h"
#include "engine/generator.h"
#include "engine/register_image.h"
#include "modbus/value_codec.h"
#include "model/resolved_plan.h"

namespace greymet::engine {

// One field slave: registers and bits behind its map. Points move by their generators until a
// master writes them.
class FieldSlave final : public RegisterImage {
 public:
  // Keeps references. `still`: no default generator moves.
  FieldSlave(const model::ResolvedPlan& plan, std::size_t slave, bool still);

  [[nodiscard]] bool has(model::Area area, std::uint32_t offset, std::uint32_t count,
                         bool to_write) const override;
  [[nodiscard]] bool takes(model::FunctionCode function, model::Area area, std::uint32_t offset,
                           std::uint32_t count) const override;
  [[nodiscard]] std::uint16_t word(model::Area area, std::uint32_t offset) const override;
  [[nodiscard]] bool bit(model::Area area, std::uint32_t offset) const override;
  void set_word(std::uint32_t offset, std::uint16_t value) override;
  void set_bit(std::uint32_t offset, bool value) override;

  // Moves the points that touch the block to their values of that time.
  void refresh(Duration now, model::Area area, model::Extent block);
  // Points are those of the slave's map. A value that does not fit the type is cut to its range.
  // From `now` on, whatever a master wrote there before.
  void set_generator(std::size_t point, const Generator& generator, Duration now = {});
  void set_value(std::size_t point, const modbus::RawValue& value, Duration now = {});
  [[nodiscard]] tl::expected<modbus::RawValue, std::string> value(Duration now, std::size_t point);
  // Puts a register or bit there, and keeps generators from moving it.
  void force_word(model::Area area, std::uint32_t offset, std::uint16_t value);
  // All as it was at the start.
  void restart();

 private:
  struct Moving {
    std::optional<Generator> generator;
    std::optional<modbus::RawValue> constant;  // instead
    Duration since{};                          // the generator counts from here
    bool held = false;                         // written by a master, or forced
  };
  // 256 registers or bits each; all 0 until one is put.
  using Page = std::array<std::uint16_t, 256>;
  [[nodiscard]] std::unique_ptr<Page>& page_of(model::Area area, std::uint32_t offset) {
    return pages_[static_cast<std::size_t>(area)][offset / 256];
  }
  // Points of a block, as requests ask for the same ones again and again.
  [[nodiscard]] const std::vector<std::size_t>& points_in(model::Area area, model::Extent block);
  void put(model::Area area, std::uint32_t offset, std::uint16_t value);
  void hold(model::Area area, std::uint32_t offset);
  void store(Duration now, std::size_t point);

  const model::ResolvedPlan& plan_;
  std::size_t slave_;
  const model::RegisterMap* map_;
  model::Holes holes_;
  std::vector<Moving> points_;  // parallel to the map's
  std::array<std::array<std::unique_ptr<Page>, 256>, 4> pages_;
  std::map<std::tuple<model::Area, std::uint32_t, std::uint32_t>, std::vector<std::size_t>> blocks_;
};

// A controller as its peers see it: what its areas serve.
class PeerImage final : public RegisterImage {
 public:
  explicit PeerImage(ControllerMemory& memory) : memory_(memory) {}
  [[nodiscard]] bool has(model::Area area, std::uint32_t offset, std::uint32_t count,
                         bool to_write) const override;
  [[nodiscard]] std::uint16_t word(model::Area area, std::uint32_t offset) const override;
  [[nodiscard]] bool bit(model::Area area, std::uint32_t offset) const override;
  void set_word(std::uint32_t offset, std::uint16_t value) override;
  void set_bit(std::uint32_t offset, bool value) override;

 private:
  ControllerMemory& memory_;
};

// One register or bit that a master wrote.
struct WrittenWord {
  Duration at{};
  model::Target target;
  model::Area area = model::Area::holding_register;
  std::uint32_t offset = 0;
  std::uint16_t before = 0;
  std::uint16_t after = 0;
};

// All of a plan.
class Field {
 public:
  // `memories`: one per controller, parallel to the plan's; they must outlive it.
  Field(const model::ResolvedPlan& plan, std::vector<ControllerMemory>& memories, bool still);

  // The PDU with which the target answers one that arrives at `now`; nothing where it does not.
  [[nodiscard]] std::optional<modbus::Bytes> answer(Duration now, const model::Target& target,
                                                    modbus::ByteView pdu);
  // Who answers to that unit on a serial line, or at a TCP host and port (there a slave takes any
  // unit but another's at the same place).
  [[nodiscard]] std::optional<model::Target> on_line(model::LineIndex line,
                                                     std::uint8_t unit) const;
  [[nodiscard]] std::optional<model::Target> at_host(const std::string& host, std::int64_t port,
                                                     std::uint8_t unit) const;
  [[nodiscard]] FieldSlave& slave(std::size_t index) { return *slaves_[index]; }

  // Only these are here; the others are silent, as if they were not there.
  void serve_only(std::set<model::Target> present) { present_ = std::move(present); }

  // What masters write is kept from now on, until it is taken; of more than some 10,000 words the
  // first ones.
  void note_writes() { notes_writes_ = true; }
  [[nodiscard]] std::vector<WrittenWord> take_written() { return std::exchange(written_, {}); }

  // Slaves restart, their memory as at the start, at the instants of the script.
  void set_restarts(const FaultScript& script);

  // Watchdogs of slaves that nobody asked (or wrote to) for too long.
  struct Tripped {
    std::size_t slave = 0;
    Duration at{};            // the first time
    std::uint64_t times = 0;  // a watchdog that is served again may trip again
  };
  // Those that have tripped by `now`, whenever that was, since the last call.
  [[nodiscard]] std::vector<Tripped> tripped(Duration now);

 private:
  struct Watchdog {
    Duration limit{};
    bool by_writes = false;
    Duration last{};
    bool tripped = false;  // and not served since
    Tripped seen;
  };
  [[nodiscard]] bool is_here(const model::Target& target) const {
    return !present_ || present_->contains({target.is_peer, target.index, 0});
  }
  [[nodiscard]] std::optional<modbus::Bytes> reply_of(Duration now, const model::Target& target,
                                                      RegisterImage& image,
                                                      const AnswerLimits& limits,
                                                      modbus::ByteView pdu);
  void look_at(std::size_t slave, Duration now);
  void restart_due(Duration now);
  const model::ResolvedPlan& plan_;
  std::vector<std::unique_ptr<FieldSlave>> slaves_;
  std::vector<std::unique_ptr<PeerImage>> peers_;  // per controller
  std::vector<AnswerLimits> slave_limits_;
  std::map<model::Target, AnswerCounters> counters_;
  std::map<std::pair<std::string, std::int64_t>, std::vector<model::Target>, std::less<>> hosts_;
  std::map<std::pair<std::size_t, std::uint8_t>, model::Target> units_;  // by line and unit
  std::vector<std::optional<Watchdog>> watchdogs_;
  std::optional<std::set<model::Target>> present_;  // all without
  bool notes_writes_ = false;
  std::vector<WrittenWord> written_;
  std::vector<std::pair<Duration, std::size_t>> restarts_;  // instant, slave; the last comes first
};

// A raw value of the type from a number in engineering units, cut to what the type holds.
[[nodiscard]] modbus::RawValue raw_from(const model::Point& point, double engineering);

}  // namespace greymet::engine
