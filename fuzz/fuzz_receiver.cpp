// What arrives, in any pieces and with any pauses, at both ends: every byte is accounted for, what
// comes out as a frame encodes to its bytes, and a master takes nothing that was not asked for.
#include "engine/frame_receiver.h"
#include "engine/reply_check.h"
#include "input.h"

using namespace greymet;
using engine::Duration;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  if (size < 2) return 0;
  const auto framing = static_cast<modbus::Framing>(data[0] % 3);
  const auto direction =
      (data[0] & 0x10) != 0 ? modbus::Direction::request : modbus::Direction::reply;
  engine::FrameReceiver receiver(framing, direction, std::chrono::milliseconds(20));
  engine::Received received;
  Duration now{};
  std::size_t sent = 0;
  for (std::size_t at = 1; at < size;) {
    // one byte says how long the piece is, and how long the pause before it
    const std::size_t length = std::min<std::size_t>(data[at] & 0x3F, size - at - 1);
    if ((data[at] & 0x80) != 0) now += std::chrono::milliseconds(30);
    if ((data[at] & 0x40) != 0 && receiver.silence_at()) receiver.look_at_silence(received);
    ++at;
    modbus::Bytes piece;
    for (std::size_t i = 0; i < length; ++i) piece.push_back(std::byte{data[at + i]});
    receiver.receive(now, piece, received);
    sent += length;
    at += length;
  }
  receiver.forget(received);
  std::size_t seen = 0;
  for (const engine::ReceivedJunk& junk : received.junk) seen += junk.bytes;
  engine::Asked asked;
  asked.unit = 7;
  asked.framing = framing;
  asked.request.quantity = 2;
  for (const engine::ReceivedFrame& frame : received.frames) {
    seen += frame.raw.size();
    const auto again = modbus::encode_frame(frame.frame, framing);
    fuzz::require(again.has_value());
    // ASCII may come in small letters
    if (framing != modbus::Framing::ascii) fuzz::require(*again == frame.raw);
    const auto answer = engine::answer_in(frame.frame, asked);
    const auto* taken = std::get_if<engine::Answer>(&answer);
    if (taken == nullptr) continue;
    fuzz::require(frame.frame.unit == 7 && (frame.frame.pdu[0] & std::byte{0x7F}) == std::byte{3});
    if (const auto* reply = std::get_if<modbus::Reply>(taken)) {
      fuzz::require(reply->registers.size() == 2);
    }
  }
  fuzz::require(seen == sent);
  return 0;
}
