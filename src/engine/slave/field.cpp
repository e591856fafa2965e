#include "engine/field.h"

#include <algorithm>
#include <utility>

namespace greymet::engine {

using model::Area;
using model::Target;

namespace {

BitSequence one_bit(const model::MemoryRange& range) {
  return {range.bits.store, range.bits.first, 1, model::bits_per_word};
}

// Hands everything on, and notes what is written.
class NotingImage final : public RegisterImage {
 public:
  NotingImage(RegisterImage& image, Duration now, const Target& target,
              std::vector<WrittenWord>& notes)
      : image_(image), now_(now), target_(target), notes_(notes) {}
  [[nodiscard]] bool has(Area area, std::uint32_t offset, std::uint32_t count,
                         bool to_write) const override {
    return image_.has(area, offset, count, to_write);
  }
  [[nodiscard]] bool takes(model::FunctionCode function, Area area, std::uint32_t offset,
                           std::uint32_t count) const override {
    return image_.takes(function, area, offset, count);
  }
  [[nodiscard]] std::uint16_t word(Area area, std::uint32_t offset) const override {
    return image_.word(area, offset);
  }
  [[nodiscard]] bool bit(Area area, std::uint32_t offset) const override {
    return image_.bit(area, offset);
  }
  void set_word(std::uint32_t offset, std::uint16_t value) override {
    note(Area::holding_register, offset, image_.word(Area::holding_register, offset), value);
    image_.set_word(offset, value);
  }
  void set_bit(std::uint32_t offset, bool value) override {
    note(Area::coil, offset, image_.bit(Area::coil, offset) ? 1 : 0, value ? 1 : 0);
    image_.set_bit(offset, value);
  }

 private:
  void note(Area area, std::uint32_t offset, std::uint16_t before, std::uint16_t after) {
    constexpr std::size_t most = 10'000;
    if (notes_.size() < most) notes_.push_back({now_, target_, area, offset, before, after});
  }
  RegisterImage& image_;
  Duration now_;
  Target target_;
  std::vector<WrittenWord>& notes_;
};

}  // namespace

bool PeerImage::has(Area area, std::uint32_t offset, std::uint32_t count, bool) const {
  return memory_.layout().serving(area, offset, count).has_value();
}
std::uint16_t PeerImage::word(Area area, std::uint32_t offset) const {
  const auto range = memory_.layout().serving(area, offset, 1);
  return range ? memory_.registers(memory_.sequence(*range), 1)[0] : std::uint16_t{0};
}
bool PeerImage::bit(Area area, std::uint32_t offset) const {
  const auto range = memory_.layout().serving(area, offset, 1);
  return range && memory_.bit(one_bit(*range).store, one_bit(*range).first);
}
void PeerImage::set_word(std::uint32_t offset, std::uint16_t value) {
  const auto range = memory_.layout().serving(Area::holding_register, offset, 1);
  if (range) memory_.put_registers(memory_.sequence(*range), {value});
}
void PeerImage::set_bit(std::uint32_t offset, bool value) {
  const auto range = memory_.layout().serving(Area::coil, offset, 1);
  if (range) memory_.put_bits(one_bit(*range), {value});
}

Field::Field(const model::ResolvedPlan& plan, std::vector<ControllerMemory>& memories, bool still)
    : plan_(plan) {
  for (std::size_t s = 0; s < plan.plan.slaves.size(); ++s) {
    const model::Slave& slave = plan.plan.slaves[s];
    slaves_.push_back(std::make_unique<FieldSlave>(plan, s, still));
    slave_limits_.push_back({plan.exchange.slaves[s].accepts, slave.line.has_value(), slave.name});
    std::optional<Watchdog> watchdog;
    if (slave.watchdog) {
      watchdog.emplace();
      watchdog->limit = slave.watchdog->value;
      watchdog->by_writes = plan.exchange.slaves[s].watchdog_by == model::WatchdogBy::writes;
    }
    watchdogs_.push_back(watchdog);
  }
  // slaves that nobody asks are there as well
  const auto add = [this](const std::string& host, std::int64_t port, const Target& target) {
    auto& there = hosts_[{host, port}];
    if (std::find(there.begin(), there.end(), target) == there.end()) there.push_back(target);
  };
  for (std::size_t s = 0; s < plan.plan.slaves.size(); ++s) {
    const model::ExchangeSlave& slave = plan.exchange.slaves[s];
    if (slave.host) add(*slave.host, slave.port, {false, s, 0});
  }
  // of two with one unit, which check refuses, the first answers
  const auto add_unit = [this](const auto& there, const Target& target) {
    if (there.line && there.unit && there.unit->value >= 0 && there.unit->value <= 255) {
      units_.try_emplace({there.line->value, static_cast<std::uint8_t>(there.unit->value)}, target);
    }
  };
  for (std::size_t s = 0; s < plan.exchange.slaves.size(); ++s) {
    add_unit(plan.exchange.slaves[s], {false, s, 0});
  }
  for (std::size_t c = 0; c < plan.exchange.controllers.size(); ++c) {
    const auto& answers = plan.exchange.controllers[c].answers;
    for (std::size_t a = 0; a < answers.size(); ++a) add_unit(answers[a], {true, c, a});
  }
  for (const model::ExchangeTransaction& t : plan.exchange.transactions) {
    const model::Endpoint& to = t.endpoint;
    if (to.connection && !to.gateway) add(to.host, to.port, t.target);
  }
  for (const auto& telling : plan.telling_places()) {
    add(telling.host, telling.port, telling.target);
  }
  for (ControllerMemory& memory : memories) {
    peers_.push_back(std::make_unique<PeerImage>(memory));
  }
}

std::optional<modbus::Bytes> Field::answer(Duration now, const Target& target,
                                           modbus::ByteView pdu) {
  if (!is_here(target)) return std::nullopt;
  restart_due(now);
  if (target.is_peer) {
    AnswerLimits limits;
    const auto& answers = plan_.exchange.controllers[target.index].answers;
    limits.on_line = target.answer < answers.size() && answers[target.answer].on_line;
    limits.name = plan_.plan.controllers[target.index].name;
    return reply_of(now, target, *peers_[target.index], limits, pdu);
  }
  FieldSlave& slave = *slaves_[target.index];
  const auto request = modbus::decode_request(pdu);
  if (request && model::reads(request->function)) {
    slave.refresh(now, model::traits_of(request->function).area,
                  {request->offset, request->offset + std::uint32_t{request->quantity}});
  }
  auto reply = reply_of(now, target, slave, slave_limits_[target.index], pdu);
  auto& watchdog = watchdogs_[target.index];
  const bool feeds =
      watchdog && (!watchdog->by_writes || (request && model::writes(request->function)));
  if (feeds) {
    look_at(target.index, now);
    watchdog->last = now;
    watchdog->tripped = false;
  }
  return reply;
}

std::optional<modbus::Bytes> Field::reply_of(Duration now, const Target& target,
                                             RegisterImage& image, const AnswerLimits& limits,
                                             modbus::ByteView pdu) {
  AnswerCounters& counters = counters_[target];
  if (!notes_writes_) return answer_request(pdu, image, limits, counters);
  NotingImage noting(image, now, target, written_);
  return answer_request(pdu, noting, limits, counters);
}

std::optional<Target> Field::on_line(model::LineIndex line, std::uint8_t unit) const {
  const auto at = units_.find({line.value, unit});
  return at == units_.end() || !is_here(at->second) ? std::nullopt : std::optional(at->second);
}

std::optional<Target> Field::at_host(const std::string& host, std::int64_t port,
                                     std::uint8_t unit) const {
  const auto at = hosts_.find({host, port});
  if (at == hosts_.end()) return std::nullopt;
  for (const Target& target : at->second) {
    const auto& own = target.is_peer
                          ? plan_.exchange.controllers[target.index].answers[target.answer].unit
                          : plan_.exchange.slaves[target.index].unit;
    if (own && own->value == unit) return is_here(target) ? std::optional(target) : std::nullopt;
  }
  const bool alone = at->second.size() == 1 && is_here(at->second.front());
  return alone ? std::optional(at->second.front()) : std::nullopt;
}

void Field::look_at(std::size_t slave, Duration now) {
  Watchdog& watchdog = *watchdogs_[slave];
  if (watchdog.tripped || now - watchdog.last <= watchdog.limit) return;
  watchdog.tripped = true;
  if (watchdog.seen.times++ == 0) watchdog.seen.at = watchdog.last + watchdog.limit;
}

std::vector<Field::Tripped> Field::tripped(Duration now) {
  std::vector<Tripped> out;
  for (std::size_t s = 0; s < watchdogs_.size(); ++s) {
    if (!watchdogs_[s]) continue;
    look_at(s, now);
    Tripped seen = std::exchange(watchdogs_[s]->seen, {});
    if (seen.times == 0) continue;
    seen.slave = s;
    out.push_back(seen);
  }
  return out;
}

void Field::set_restarts(const FaultScript& script) {
  restarts_.clear();
  for (const Fault& fault : script.rows()) {
    if (fault.kind != FaultKind::restart || fault.is_peer) continue;
    restarts_.emplace_back(fault.at, fault.index);
  }
  std::sort(restarts_.rbegin(), restarts_.rend());
}

void Field::restart_due(Duration now) {
  for (; !restarts_.empty() && restarts_.back().first <= now; restarts_.pop_back()) {
    slaves_[restarts_.back().second]->restart();
  }
}

}  // namespace greymet::engine
