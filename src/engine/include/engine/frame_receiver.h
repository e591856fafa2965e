// Bytes as they arrive -> frames. What is no frame is reported and survived.
//
// RTU: a frame is cut by the length that its first bytes announce, and its CRC; the silence behind
// it (MODBUS over Serial Line V1.02, section 2.5.1.1) only helps to find a frame behind noise, as
// no operating system hands on silences faithfully. ASCII: from colon to CR LF (section 2.5.2.1).
// TCP: by the length of the MBAP header; a stream whose header makes no sense cannot be followed
// any further and is broken: the connection must be closed.
#pragma once

#include <optional>
#include <vector>

#include "modbus/frame.h"
#include "model/strong.h"

namespace greymet::engine {

using model::Duration;

// A good frame: its checksum and length are right.
struct ReceivedFrame {
  modbus::Frame frame;
  modbus::Bytes raw;
  Duration first_byte{};
  Duration last_byte{};
  bool is_reply = false;  // on a line on which others answer as well; see hear_replies()
};

// Bytes that belong to no good frame.
struct ReceivedJunk {
  enum class Kind : std::uint8_t {
    noise,          // nothing that begins like a frame
    bad_checksum,   // as long as it should be, with a wrong CRC or LRC
    cut_short,      // the beginning of a frame
    bad_protocol,   // TCP: the protocol is not 0
    absurd_length,  // TCP: a length that no frame has
  };
  Kind kind = Kind::noise;
  std::size_t bytes = 0;
};

// What came of some bytes, in the order of arrival but for kinds.
struct Received {
  std::vector<ReceivedFrame> frames;
  std::vector<ReceivedJunk> junk;
};

// Receives one direction of one line or connection. Keeps at most some 1,100 bytes.
class FrameReceiver {
 public:
  // `silence`: how long nothing may come before what was received is looked at as a whole; a whole
  // that is no frame is then forgotten where requests are received. Replies stay until forget().
  FrameReceiver(modbus::Framing framing, modbus::Direction direction, Duration silence)
      : framing_(framing), direction_(direction), silence_(silence) {}

  // RTU requests on a line where the replies of others are heard too: those are told from requests
  // by their lengths, and what follows them at once is still found.
  void hear_replies() { hears_replies_ = true; }
  void receive(Duration now, modbus::ByteView bytes, Received& out);
  // To be called at silence_at() or later, when nothing has come in between.
  void look_at_silence(Received& out);
  // When the silence will have lasted long enough; nothing while nothing is waited for.
  [[nodiscard]] std::optional<Duration> silence_at() const {
    if (looked_ || buffer_.empty() || framing_ != modbus::Framing::rtu) return std::nullopt;
    return times_.back() + silence_;
  }
  // Drops what has been received: the try it came in is over.
  void forget(Received& out);
  // TCP: close the connection. forget() makes it whole again.
  [[nodiscard]] bool broken() const { return broken_; }

 private:
  void cut(Received& out);
  void cut_rtu(Received& out);
  void cut_both(Received& out);
  void cut_ascii(Received& out);
  void cut_tcp(Received& out);
  [[nodiscard]] ReceivedJunk::Kind kind_of_rest() const;
  void take(std::size_t bytes, modbus::Frame frame, Received& out, bool is_reply = false);
  void drop(std::size_t bytes, ReceivedJunk::Kind kind, Received& out);
  void erase(std::size_t bytes);

  modbus::Framing framing_;
  modbus::Direction direction_;
  Duration silence_;
  modbus::Bytes buffer_;
  std::vector<Duration> times_;  // parallel: when each byte came
  bool looked_ = true;           // at what the buffer holds
  bool broken_ = false;
  bool hears_replies_ = false;
};

}  // namespace greymet::engine
