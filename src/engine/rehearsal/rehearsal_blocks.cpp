#include <algorithm>
#include <array>
#include <map>
#include <tuple>

#include "modbus/value_codec.h"
#include "rehearsal_internal.h"

namespace greymet::engine::internal {

using model::Area;
using model::DeviceBlock;
using model::ExchangeTransaction;

namespace {

// One register or bit of a block: the first or the last.
struct Probe {
  bool put = false;
  std::uint16_t value = 0;  // that was put at the source
};

struct BlockState {
  std::size_t result = 0;
  std::array<Probe, 2> probes;  // first, last
  bool done = false;
};

class BlockRehearsal {
 public:
  BlockRehearsal(const model::ResolvedPlan& plan, Stage& stage) : plan_(plan), stage_(stage) {
    for (const ExchangeTransaction& t : plan.exchange.transactions) {
      if (t.read && t.into) add(t, true);
      if (t.write && t.from) add(t, false);
    }
  }

  std::vector<RehearsedBlock> run(Duration patience, const Finished& finished) {
    const Duration begin = stage_.now();
    for (const ExchangeTransaction& t : plan_.exchange.transactions) put_values(t);
    stage_.touch();
    constexpr Duration slice = std::chrono::milliseconds(100);
    while (!stage_.stopped() && stage_.now() < begin + patience && open_ > 0) {
      std::vector<RequestRecord> good;
      stage_.run_until(stage_.now() + slice, [&](const RequestRecord& record) {
        finished(record);
        // what starts at the very instant was sent before the change
        if (record.outcome == Outcome::good && record.start > begin) good.push_back(record);
      });
      for (const RequestRecord& record : good) judge(record, begin);
    }
    look_again();
    return std::move(results_);
  }

 private:
  void add(const ExchangeTransaction& t, bool is_read) {
    BlockState state;
    state.result = results_.size();
    RehearsedBlock block;
    block.transaction = t.transaction;
    block.is_read = is_read;
    const bool waits_for_event = t.trigger.kind == model::TriggerKind::on_start ||
                                 t.trigger.kind == model::TriggerKind::on_return;
    if (t.function == model::FunctionCode::mask_write_register || t.endpoint.broadcast ||
        waits_for_event) {
      block.first = block.last = BlockVerdict::left_alone;
      state.done = true;
    } else {
      ++open_;
    }
    results_.push_back(block);
    states_[{t.transaction, is_read}] = state;
  }

  [[nodiscard]] static const DeviceBlock& block_of(const ExchangeTransaction& t, bool is_read) {
    return is_read ? *t.read : *t.write;
  }

  // What lies at a register or bit of whoever answers.
  [[nodiscard]] std::uint16_t at_device(const ExchangeTransaction& t, Area area,
                                        std::uint32_t offset) {
    if (!t.target.is_peer) return stage_.field().slave(t.target.index).word(area, offset);
    PeerImage peer(stage_.memory(t.target.index));
    return model::is_bit_area(area) ? std::uint16_t{peer.bit(area, offset)}
                                    : peer.word(area, offset);
  }
  void put_at_device(const ExchangeTransaction& t, Area area, std::uint32_t offset,
                     std::uint16_t value) {
    if (!t.target.is_peer) {
      stage_.field().slave(t.target.index).force_word(area, offset, value);
      return;
    }
    ControllerMemory& memory = stage_.memory(t.target.index);
    const auto range = memory.layout().serving(area, offset, 1);
    if (!range) return;
    const BitSequence bits = memory.sequence(*range);
    model::is_bit_area(area) ? memory.put_bits(bits, {value != 0})
                             : memory.put_registers(bits, {value});
  }

  // What lies at the same place in the controller.
  [[nodiscard]] std::uint16_t at_controller(const ExchangeTransaction& t, bool is_read, Area area,
                                            std::uint32_t index) {
    ControllerMemory& memory = stage_.memory(t.controller);
    const BitSequence bits = memory.sequence(is_read ? *t.into : *t.from);
    if (model::is_bit_area(area)) return memory.bit(bits.store, bits.position(index)) ? 1 : 0;
    return memory.registers(bits, index + 1).back();
  }
  void put_at_controller(const ExchangeTransaction& t, Area area, std::uint32_t index,
                         std::uint16_t value) {
    ControllerMemory& memory = stage_.memory(t.controller);
    const BitSequence bits = memory.sequence(*t.from);
    if (model::is_bit_area(area)) {
      memory.set_bit(bits.store, bits.position(index), value != 0);
      return;
    }
    auto words = memory.registers(bits, index + 1);
    words.back() = value;
    memory.put_registers(bits, words);
  }

  // Each place is changed once, whoever carries it.
  void put_values(const ExchangeTransaction& t) {
    for (const bool is_read : {true, false}) {
      const auto at = states_.find({t.transaction, is_read});
      if (at == states_.end() || at->second.done) continue;
      const DeviceBlock& block = block_of(t, is_read);
      for (const std::size_t i : {0U, 1U}) {
        if (i == 1 && block.quantity == 1) {  // one place is changed once
          at->second.probes[1] = at->second.probes[0];
          continue;
        }
        const std::uint32_t index = i == 0 ? 0 : block.quantity - 1;
        const std::uint16_t before = is_read ? at_device(t, block.area, block.offset + index)
                                             : at_controller(t, false, block.area, index);
        const std::uint16_t value =
            model::is_bit_area(block.area) ? std::uint16_t{before == 0} : next_value(before);
        if (is_read) {
          const auto key =
              std::tuple(t.target.is_peer, t.target.index, block.area, block.offset + index);
          const auto [known, is_new] = put_.try_emplace(key, value);
          if (is_new) put_at_device(t, block.area, block.offset + index, value);
          at->second.probes[i] = {true, known->second};
        } else {
          put_at_controller(t, block.area, index, value);
          at->second.probes[i] = {true, value};
        }
      }
    }
  }

  std::uint16_t next_value(std::uint16_t before) {
    counter_ = static_cast<std::uint16_t>(counter_ + 257);
    return counter_ == before ? static_cast<std::uint16_t>(counter_ + 1) : counter_;
  }

  void judge(const RequestRecord& record, Duration begin) {
    const ExchangeTransaction& t = *plan_.exchange.find(record.transaction);
    for (const bool is_read : {true, false}) {
      const auto at = states_.find({record.transaction, is_read});
      if (at == states_.end() || at->second.done) continue;
      BlockState& state = at->second;
      state.done = true;
      --open_;
      RehearsedBlock& result = results_[state.result];
      result.after = record.end - begin;
      const bool swapped = is_read ? t.read_swap.has_value() : t.write_swap.has_value();
      result.first =
          swapped ? judge_values(t, is_read) : judge_word(t, is_read, state.probes[0], 0);
      result.last =
          swapped ? result.first
                  : judge_word(t, is_read, state.probes[1], block_of(t, is_read).quantity - 1);
    }
  }

  // What arrived must still be there when all others have run: two blocks may share their words.
  void look_again() {
    for (const auto& [key, state] : states_) {
      RehearsedBlock& result = results_[state.result];
      const ExchangeTransaction& t = *plan_.exchange.find(key.first);
      const bool swapped = key.second ? t.read_swap.has_value() : t.write_swap.has_value();
      if (swapped || !state.probes[0].put) continue;
      if (result.first == BlockVerdict::arrived) {
        result.first = judge_word(t, key.second, state.probes[0], 0);
      }
      if (result.last == BlockVerdict::arrived) {
        result.last =
            judge_word(t, key.second, state.probes[1], block_of(t, key.second).quantity - 1);
      }
    }
  }

  BlockVerdict judge_word(const ExchangeTransaction& t, bool is_read, const Probe& probe,
                          std::uint32_t index) {
    const DeviceBlock& block = block_of(t, is_read);
    const std::uint16_t there = at_device(t, block.area, block.offset + index);
    const std::uint16_t here = at_controller(t, is_read, block.area, index);
    const auto steady = static_cast<std::uint16_t>(~moving_bits(t, is_read, index));
    const std::uint16_t source = is_read ? there : here;
    // a copy, or another transaction, has put its own value there: nothing is left to follow
    if ((source & steady) != (probe.value & steady)) return BlockVerdict::driven;
    return (there & steady) == (here & steady) ? BlockVerdict::arrived : BlockVerdict::wrong;
  }

  // Bits of the word that heartbeats change by themselves, at either end.
  [[nodiscard]] unsigned moving_bits(const ExchangeTransaction& t, bool is_read,
                                     std::uint32_t index) {
    const DeviceBlock& block = block_of(t, is_read);
    if (model::is_bit_area(block.area)) return 0;
    unsigned moving = 0;
    const auto look = [&](std::size_t controller, const BitSequence& word) {
      for (const model::ExchangeHeartbeat& beat : plan_.exchange.heartbeats) {
        if (beat.from != model::ControllerIndex(controller) || !beat.bit) continue;
        const BitSequence bit = stage_.memory(controller).sequence(*beat.bit);
        for (std::uint64_t k = 0; k < model::bits_per_word && k < word.count; ++k) {
          if (bit.store == word.store && bit.first == word.position(k)) moving |= 1U << k;
        }
      }
    };
    BitSequence own = stage_.memory(t.controller).sequence(is_read ? *t.into : *t.from);
    own.first += std::uint64_t{index} * model::bits_per_word;
    look(t.controller, own);
    if (!t.target.is_peer) return moving;
    ControllerMemory& peer = stage_.memory(t.target.index);
    if (const auto range = peer.layout().serving(block.area, block.offset + index, 1)) {
      look(t.target.index, peer.sequence(*range));
    }
    return moving;
  }

  // Where values change their word order on the way, they must read the same at both ends.
  BlockVerdict judge_values(const ExchangeTransaction& t, bool is_read) {
    const model::RegisterMap* map = plan_.map_of(t.target);
    const DeviceBlock& block = block_of(t, is_read);
    if (!map) return BlockVerdict::left_alone;
    const auto& own = plan_.plan.controllers[t.controller].word_order;
    const auto here_order = is_read ? t.read_swap
                            : own   ? std::optional(own->value)
                                    : std::optional<model::WordOrder>();
    for (const model::Point* point : map->points_touching(block.area, block.extent())) {
      const model::Extent extent = model::extent_of(*point);
      if (extent.first < block.offset || extent.end > block.extent().end || !here_order) continue;
      std::vector<std::uint16_t> there;
      std::vector<std::uint16_t> here;
      for (std::uint32_t at = extent.first; at < extent.end; ++at) {
        there.push_back(at_device(t, block.area, at));
        here.push_back(at_controller(t, is_read, block.area, at - block.offset));
      }
      const auto device_order = plan_.order_of(t.target.index, *point);
      const auto a =
          modbus::decode_value(there, point->type, device_order.value_or(model::WordOrder::abcd),
                               point->bit.value_or(0));
      const auto b = modbus::decode_value(here, point->type, *here_order, point->bit.value_or(0));
      if (a != b && (a.has_value() || b.has_value())) return BlockVerdict::wrong;
    }
    return BlockVerdict::arrived;
  }

  const model::ResolvedPlan& plan_;
  Stage& stage_;
  std::vector<RehearsedBlock> results_;
  std::map<std::pair<std::size_t, bool>, BlockState> states_;
  std::map<std::tuple<bool, std::size_t, Area, std::uint32_t>, std::uint16_t> put_;
  std::size_t open_ = 0;
  std::uint16_t counter_ = 0x1234;
};

}  // namespace

std::vector<RehearsedBlock> rehearse_blocks(const model::ResolvedPlan& plan, Stage& stage,
                                            Duration patience, const Finished& finished) {
  return BlockRehearsal(plan, stage).run(patience, finished);
}

Duration patience_of(const timing::TimingReport& report) {
  Duration longest{};
  for (const timing::LineReport& line : report.lines) {
    for (const timing::TransactionReport& t : line.transactions) {
      longest = std::max(
          longest, t.period.value_or(Duration{}) + t.response_bound_any_phase.value_or(t.longest));
    }
  }
  return longest + std::chrono::seconds(1);
}

}  // namespace greymet::engine::internal
