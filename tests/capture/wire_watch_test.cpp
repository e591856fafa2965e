// Silences between frames, told by hand: who is behind each, and how long it was to the byte.
#include "capture/wire_watch.h"

#include <catch2/catch.hpp>

using namespace greymet;
using namespace greymet::capture;
using std::chrono::milliseconds;

namespace {

std::pair<Duration, Duration> between(int from, int until) {
  return {milliseconds(from), milliseconds(until)};
}

AskKey question(std::uint32_t offset) {
  return {"line north", 12, 3, offset, 1, 0, 0};
}

}  // namespace

TEST_CASE("a silence begins with the last byte before it and ends with the first behind it") {
  WireWatch watch;
  watch.request(1, question(5), between(0, 5), true, false);
  watch.reply(1, question(5), between(255, 260), false);
  watch.request(1, question(6), between(1000, 1005), true, false);
  watch.request(1, question(7), between(1300, 1305), true, true);
  const auto all = watch.silences();
  REQUIRE(all.size() == 3);
  CHECK(all[0].kind == SilenceKind::nobody_asks);
  CHECK(all[0].from == milliseconds(260));
  CHECK(all[0].length == milliseconds(740));
  CHECK(all[1].kind == SilenceKind::no_answer);
  CHECK(all[1].from == milliseconds(1005));
  CHECK(all[1].length == milliseconds(295));
  CHECK(all[1].asked == question(6));
  CHECK(all[2].kind == SilenceKind::slow_answer);
  CHECK(all[2].from == milliseconds(5));
  CHECK(all[2].length == milliseconds(250));
}

TEST_CASE("of very many silences the longest are kept, each kind by itself, and links apart") {
  WireWatch watch;
  int at = 0;
  for (int i = 0; i < 500; ++i) {
    const std::uint64_t link = static_cast<std::uint64_t>(i % 2);
    const int wait = (i * 37) % 500 + 1;
    // on a connection nobody need ask
    watch.request(link, question(1), between(at, at), false, false);
    watch.reply(link, question(1), between(at + wait, at + wait), false);
    at += 1000;
  }
  const auto all = watch.silences();
  REQUIRE(all.size() == WireWatch::most_silences);
  for (std::size_t i = 0; i < all.size(); ++i) {
    CHECK(all[i].kind == SilenceKind::slow_answer);
    CHECK(all[i].length == milliseconds(500 - static_cast<int>(i)));
  }
}

TEST_CASE("exchanges of a window are kept with their answers, and no others") {
  WireWatch watch;
  watch.keep(milliseconds(100), milliseconds(200));
  for (int i = 0; i < 40; ++i) {
    watch.request(1, question(1), between(10 * i, 10 * i + 1), true, i % 4 == 1);
    if (i % 4 != 0) watch.reply(1, question(1), between(10 * i + 3, 10 * i + 4), i % 4 == 2);
  }
  // requests that begin at 100, 110 ... 190
  const auto& seen = watch.exchanges();
  REQUIRE(seen.size() == 10);
  for (std::size_t k = 0; k < seen.size(); ++k) {
    const std::size_t i = k + 10;
    CHECK(seen[k].request.first == milliseconds(10 * static_cast<int>(i)));
    CHECK(seen[k].reply.has_value() == (i % 4 != 0));
    CHECK(seen[k].refused == (i % 4 == 2));
  }
}
