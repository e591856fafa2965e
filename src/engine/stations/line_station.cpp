#include <algorithm>

#include "engine/station.h"
#include "timing/transaction_times.h"

namespace greymet::engine {

namespace {

modbus::Framing framing_of(const timing::CharacterTiming& characters) {
  return characters.mode == model::SerialMode::ascii ? modbus::Framing::ascii
                                                     : modbus::Framing::rtu;
}

}  // namespace

LineStation::LineStation(const model::ResolvedPlan& plan, model::LineIndex line, Field& field,
                         const FaultScript& faults, const StationOptions& options)
    : plan_(plan),
      line_(line),
      field_(field),
      responder_(plan, field, faults),
      options_(options),
      characters_(*timing::character_timing(plan.exchange.lines[line])),
      framing_(framing_of(characters_)),
      receiver_(framing_, modbus::Direction::request, options.silence),
      delays_(options.durations, options.seed + line) {
  if (options.real_line) receiver_.hear_replies();
}

void LineStation::receive(Duration now, modbus::ByteView bytes) {
  Received received;
  receiver_.receive(now, bytes, received);
  take(received);
}

void LineStation::take(const Received& received) {
  junk_ += received.junk.size();
  for (const ReceivedFrame& frame : received.frames) {
    const auto size = static_cast<std::uint32_t>(frame.raw.size());
    if (options_.real_line) {
      if (!is_own(frame) && !frame.is_reply) requests_.emplace_back(frame.last_byte, frame);
      continue;
    }
    // however fast the bytes came: on the line they take their time
    requests_.emplace_back(
        std::max(frame.last_byte, frame.first_byte + characters_.characters(size)), frame);
  }
}

// What was said comes back from some converters. Some replies look like their requests: a master
// that asks the same again is told from an echo by when it comes, until a reply that looks like
// none has shown what this line does.
bool LineStation::is_own(const ReceivedFrame& frame) {
  if (said_.empty() || frame.raw != said_) return false;
  if (frame.is_reply) echoes_ = true;
  const bool own = echoes_ || frame.first_byte <= free_ + characters_.frame_gap();
  said_.clear();
  return own;
}

Duration LineStation::next_wake() const {
  Duration next = never;
  if (!requests_.empty()) next = std::min(next, requests_.front().first);
  if (!pieces_.empty()) next = std::min(next, pieces_.front().at);
  if (const auto silence = receiver_.silence_at()) next = std::min(next, *silence);
  return next;
}

void LineStation::act(Duration now, std::vector<StationAction>& actions) {
  if (receiver_.silence_at() && *receiver_.silence_at() <= now) {
    Received received;
    receiver_.look_at_silence(received);
    take(received);
  }
  while (!requests_.empty() && requests_.front().first <= now) {
    const auto [end, frame] = std::move(requests_.front());
    requests_.pop_front();
    answer(frame, end);
  }
  while (!pieces_.empty() && pieces_.front().at <= now) {
    actions.push_back({StationAction::Kind::send, 0, std::move(pieces_.front().bytes)});
    pieces_.pop_front();
  }
}

void LineStation::answer(const ReceivedFrame& frame, Duration end) {
  ++heard_;
  if (frame.frame.pdu.empty()) return;
  Question question{frame.frame, frame.raw, framing_, end, end, {}};
  if (frame.frame.unit == 0) return responder_.tell_all(question, line_);
  const auto target = field_.on_line(line_, frame.frame.unit);
  if (!target) return;
  const model::Endpoint to =
      model::effective_endpoint(plan_.exchange, *target, line_, std::nullopt);
  question.timeout = to.timeout;
  const FaultyReply out = responder_.answer(question, *target, delays_.random());
  // an echo is over with what it repeats
  for (const modbus::Bytes& first : out.first) pieces_.push_back({std::max(end, free_), first});
  if (out.reply.empty()) return;
  const Duration delay = std::max(delays_.draw(to.reply), characters_.frame_gap());
  say(end + delay + out.later, out.reply);
}

// In pieces of some milliseconds, each when its last character is over; a slave says one thing
// after the other.
void LineStation::say(Duration begin, const modbus::Bytes& bytes) {
  constexpr double piece_ms = 4;
  const auto piece =
      std::max<std::size_t>(1, static_cast<std::size_t>(piece_ms / characters_.character_ms()));
  begin = std::max(begin, free_);
  if (options_.real_line) {
    pieces_.push_back({begin, bytes});
    free_ = begin + characters_.characters(static_cast<std::uint32_t>(bytes.size()));
    said_ = bytes;
    return;
  }
  for (std::size_t from = 0; from < bytes.size(); from += piece) {
    const std::size_t to = std::min(bytes.size(), from + piece);
    free_ = begin + characters_.characters(static_cast<std::uint32_t>(to));
    pieces_.push_back({free_, modbus::Bytes(bytes.begin() + static_cast<std::ptrdiff_t>(from),
                                            bytes.begin() + static_cast<std::ptrdiff_t>(to))});
  }
}

}  // namespace greymet::engine
