#include "engine/faults.h"

#include <algorithm>
#include <array>

namespace greymet::engine {

using modbus::Bytes;

namespace {

struct Name {
  FaultKind kind;
  std::string_view text;
};
constexpr std::array<Name, 13> names{{
    {FaultKind::silent, "silent"},
    {FaultKind::slow, "slow"},
    {FaultKind::garbled, "garbled"},
    {FaultKind::exception, "exception"},
    {FaultKind::wrong_unit, "wrong-unit"},
    {FaultKind::wrong_function, "wrong-function"},
    {FaultKind::cut, "short"},
    {FaultKind::echo, "echo"},
    {FaultKind::noise, "noise"},
    {FaultKind::late, "late"},
    {FaultKind::drop, "drop"},
    {FaultKind::refuse, "refuse"},
    {FaultKind::restart, "restart"},
}};

constexpr std::size_t tcp_header = 8;  // MBAP and function

Bytes some_noise(std::mt19937_64& random) {
  Bytes noise(std::uniform_int_distribution<std::size_t>(1, 12)(random));
  for (std::byte& b : noise) {
    b = static_cast<std::byte>(std::uniform_int_distribution<int>(0, 255)(random));
  }
  return noise;
}

}  // namespace

std::string_view to_string(FaultKind kind) {
  const auto at = std::find_if(names.begin(), names.end(),
                               [kind](const Name& name) { return name.kind == kind; });
  return at->text;
}

std::vector<std::string_view> fault_kinds() {
  std::vector<std::string_view> out;
  out.reserve(names.size());
  for (const Name& name : names) out.push_back(name.text);
  return out;
}

std::optional<FaultKind> fault_kind_from(std::string_view text) {
  const auto at = std::find_if(names.begin(), names.end(),
                               [text](const Name& name) { return name.text == text; });
  if (at == names.end()) return std::nullopt;
  return at->kind;
}

FaultScript::FaultScript(std::vector<Fault> rows) : rows_(std::move(rows)) {
  for (const Fault& fault : rows_) {
    of_[{fault.is_peer, fault.index}].by_start.push_back(fault);
  }
  for (auto& [who, faults] : of_) {
    std::stable_sort(faults.by_start.begin(), faults.by_start.end(),
                     [](const Fault& a, const Fault& b) { return a.at < b.at; });
    Duration last{};
    for (const Fault& fault : faults.by_start) {
      last = std::max(last, fault.until);
      faults.ended_by.push_back(last);
    }
  }
}

Effects FaultScript::at(const model::Target& target, Duration now) const {
  Effects out;
  const auto found = of_.find({target.is_peer, target.index});
  if (found == of_.end()) return out;
  const OfOne& faults = found->second;
  const auto begun = static_cast<std::size_t>(
      std::upper_bound(faults.by_start.begin(), faults.by_start.end(), now,
                       [](Duration at, const Fault& fault) { return at < fault.at; }) -
      faults.by_start.begin());
  for (std::size_t i = begun; i-- > 0 && faults.ended_by[i] > now;) {
    const Fault& fault = faults.by_start[i];
    if (now >= fault.until) continue;
    switch (fault.kind) {
      case FaultKind::silent: out.silent = true; break;
      case FaultKind::slow: out.slow += fault.time; break;
      case FaultKind::garbled: out.garbled = std::max(out.garbled, fault.share); break;
      case FaultKind::exception: out.exception = fault.code; break;
      case FaultKind::wrong_unit: out.wrong_unit = true; break;
      case FaultKind::wrong_function: out.wrong_function = true; break;
      case FaultKind::cut: out.cut = true; break;
      case FaultKind::echo: out.echo = true; break;
      case FaultKind::noise: out.noise = true; break;
      case FaultKind::late:
        out.late = true;
        out.late_by = fault.time;
        break;
      case FaultKind::drop: out.drop = true; break;
      case FaultKind::refuse: out.refuse = true; break;
      case FaultKind::restart: break;  // an instant, not a state
    }
  }
  return out;
}

FaultyReply make_reply(const Effects& effects, const modbus::Frame& request,
                       modbus::ByteView request_bytes, Bytes reply, modbus::Framing framing,
                       Duration timeout, std::mt19937_64& random) {
  FaultyReply out;
  if (effects.echo) out.first.emplace_back(request_bytes.begin(), request_bytes.end());
  if (effects.noise && framing != modbus::Framing::tcp) out.first.push_back(some_noise(random));
  out.drop = effects.drop;
  if (effects.silent || effects.drop) return out;
  if (effects.exception) {
    const auto function = std::to_integer<std::uint8_t>(request.pdu[0]);
    reply = modbus::encode_exception({function, *effects.exception});
  }
  out.refusal =
      !reply.empty() && (std::to_integer<unsigned>(reply[0]) & modbus::exception_flag) != 0;
  modbus::Frame frame{request.unit, request.transaction, std::move(reply)};
  if (effects.wrong_unit) frame.unit = static_cast<std::uint8_t>(frame.unit + 1);
  if (effects.wrong_function) frame.pdu[0] ^= std::byte{0x07};
  const auto bytes = modbus::encode_frame(frame, framing);
  if (!bytes) return out;
  out.reply = *bytes;
  if (effects.cut) out.reply.resize(std::max<std::size_t>(1, out.reply.size() / 2));
  if (effects.garbled > 0 && std::bernoulli_distribution(effects.garbled)(random)) {
    // TCP has a checksum of its own, and what it lets pass Modbus cannot see: there the damage is
    // in the header, as a faulty device makes it
    const std::size_t damaged =
        framing == modbus::Framing::tcp ? std::min(tcp_header, out.reply.size()) : out.reply.size();
    std::uniform_int_distribution<std::size_t> any(0, 8 * damaged - 1);
    const std::size_t bit = any(random);
    out.reply[bit / 8] ^= static_cast<std::byte>(1U << (bit % 8));
  }
  out.later = effects.slow;
  if (effects.late) {
    out.later += effects.late_by > Duration{} ? effects.late_by : timeout + timeout / 2;
  }
  return out;
}

}  // namespace greymet::engine
