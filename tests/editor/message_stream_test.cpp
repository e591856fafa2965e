// Messages out of bytes, however they arrive.
#include "editor/message_stream.h"

#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

using greymet::editor::framed_message;
using greymet::editor::MessageStream;

namespace {

std::vector<std::string> all_of(MessageStream& stream) {
  std::vector<std::string> out;
  while (auto message = stream.next()) out.push_back(std::move(*message));
  return out;
}

}  // namespace

TEST_CASE("messages come out as they went in, in whatever pieces they arrive") {
  rc::prop("any messages, cut anywhere", [] {
    const auto messages =
        *rc::gen::container<std::vector<std::string>>(rc::gen::arbitrary<std::string>());
    std::string bytes;
    for (const std::string& each : messages) bytes += framed_message(each);
    MessageStream stream;
    std::vector<std::string> got;
    for (std::size_t at = 0; at < bytes.size();) {
      const auto piece = *rc::gen::inRange<std::size_t>(1, 40);
      stream.feed(std::string_view(bytes).substr(at, piece));
      at += piece;
      for (std::string& each : all_of(stream)) got.push_back(std::move(each));
    }
    RC_ASSERT(got == messages);
    RC_ASSERT(stream.passed_over() == 0U);
  });
}

TEST_CASE("headers in any spelling are taken, and what is no header is passed over") {
  MessageStream stream;
  stream.feed("content-LENGTH:   2  \r\nContent-Type: application/vscode-jsonrpc\r\n\r\n{}");
  CHECK(all_of(stream) == std::vector<std::string>{"{}"});
  stream.feed("rubbish\r\n\r\nContent-Length: 2\r\n\r\n[]");
  CHECK(all_of(stream) == std::vector<std::string>{"[]"});
  CHECK(stream.passed_over() == 11);
  stream.feed("Content-Length: -1\r\n\r\nContent-Length: 99999999999999999999\r\n\r\n");
  stream.feed("Content-Length: 1x\r\n\r\nContent-Length: 3\r\n\r\nabc");
  CHECK(all_of(stream) == std::vector<std::string>{"abc"});
}

TEST_CASE("a message that is too long is passed over as a whole, and the next one is taken") {
  MessageStream stream;
  const std::size_t length = MessageStream::longest_message + 1;
  stream.feed("Content-Length: " + std::to_string(length) + "\r\n\r\n");
  const std::string piece(std::size_t{1} << 20, 'x');
  std::size_t left = length;
  while (left > 0) {
    const std::size_t count = std::min(left, piece.size());
    stream.feed(std::string_view(piece).substr(0, count));
    left -= count;
    CHECK_FALSE(stream.next());
  }
  stream.feed(framed_message("{}"));
  CHECK(all_of(stream) == std::vector<std::string>{"{}"});
  // bytes without any header are not kept
  for (int i = 0; i < 64; ++i) {
    stream.feed(piece);
    CHECK_FALSE(stream.next());
  }
  CHECK(stream.passed_over() > (std::size_t{60} << 20));
  stream.feed("\r\n\r\n" + framed_message("1"));
  CHECK(all_of(stream) == std::vector<std::string>{"1"});
}
