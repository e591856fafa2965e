// Messages of the Language Server Protocol 3.17 ("base protocol"): a header with the length of what
// follows, then so many bytes of JSON.
#pragma once

#include <cstddef>
#include <optional>
#include <string>
#include <string_view>

namespace greymet::editor {

// Cuts what arrives in any pieces into messages. Whatever is no header is passed over to the next
// one that is; a message longer than `longest_message` is passed over as a whole. Never fails,
// holds no more than one message and what has arrived behind it.
class MessageStream {
 public:
  static constexpr std::size_t longest_message = std::size_t{64} << 20;
  static constexpr std::size_t longest_header = 4096;

  void feed(std::string_view bytes);
  // The next whole message; nothing until more arrives.
  [[nodiscard]] std::optional<std::string> next();
  // Bytes and messages that were passed over so far.
  [[nodiscard]] std::size_t passed_over() const { return passed_over_; }

 private:
  std::string waiting_;
  std::size_t skip_ = 0;  // of a message that is too long
  std::size_t passed_over_ = 0;
};

// The message with its header.
[[nodiscard]] std::string framed_message(std::string_view json);

}  // namespace greymet::editor
