// What is said of captures that were written byte by byte for these tests.
#include <algorithm>
#include <cmath>
#include <filesystem>
#include <fstream>
#include <random>

#include <unistd.h>

#include <fmt/format.h>
#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include "capture/capture_audit.h"
#include "capture/draft_plan.h"
#include "capture/mbap_cutter.h"
#include "capture/tcp_streams.h"
#include "model/duration_text.h"
#include "plain_capture.h"
#include "plans.h"
#include "timing/report.h"

using namespace greymet;
using test::mbap;
using test::Octets;
using test::PlainCapture;
using test::PlainConnection;
using test::PlainSegment;
using test::PlainTalk;
using test::Wrapping;

namespace {

constexpr const char* audited_plan = R"([controller.plc]
scan = "10ms"
[controller.plc.memory]
"%MW" = { kind = "word", first = 0, count = 400 }
[line.north]
master = "plc"
mode = "rtu"
baud = 19200
format = "8E1"
timeout = "300ms"
[slave.air]
host = "10.20.0.31"
unit = 1
timeout = "500ms"
[slave.fan]
line = "north"
unit = 12
[exchange]
transactions = [
  { name = "air-in", slave = "air", fc = 3, at = 10, count = 4, into = "%MW0", every = "1s", on_loss = "hold" },
  { name = "air-state", slave = "air", fc = 4, at = 0, count = 2, into = "%MW10", every = "2s", on_loss = "hold" },
  { name = "air-set", slave = "air", fc = 16, at = 100, count = 1, from = "%MW20", every = "1s" },
  { name = "fan-in", slave = "fan", fc = 3, at = 5, count = 2, into = "%MW30", every = "1s", on_loss = "hold" },
  { name = "fan-set", slave = "fan", fc = 6, at = 9, from = "%MW40", every = "1s" },
]
)";

Octets read_request(std::uint8_t function, unsigned at, unsigned count) {
  return {function, static_cast<std::uint8_t>(at >> 8U), static_cast<std::uint8_t>(at),
          static_cast<std::uint8_t>(count >> 8U), static_cast<std::uint8_t>(count)};
}
Octets read_reply(std::uint8_t function, unsigned count) {
  Octets out{function, static_cast<std::uint8_t>(2 * count)};
  out.resize(2 + 2 * count, 7);
  return out;
}

// A temporary file with these bytes.
struct CaptureOnDisk {
  explicit CaptureOnDisk(const std::string& bytes)
      : path(std::filesystem::temp_directory_path() /
             fmt::format("capture-{}-{}.pcap", ::getpid(), ++made)) {
    std::ofstream(path, std::ios::binary) << bytes;
  }
  ~CaptureOnDisk() { std::filesystem::remove(path); }
  std::filesystem::path path;
  static inline int made = 0;
};

struct Audited {
  capture::AuditResult result;
  capture::CaptureRead read;
  std::string error;
};

Audited audit_of(const std::string& bytes, const capture::Aliases& aliases = {},
                 const std::string& plan_text = audited_plan) {
  const auto loaded = test::load(plan_text, {});
  const CaptureOnDisk file(bytes);
  capture::Auditor auditor(loaded.plan);
  Audited out;
  auto read = capture::audit_capture(file.path.string(), loaded.plan, aliases, auditor, {});
  if (!read) {
    out.error = read.error();
    return out;
  }
  out.read = *read;
  out.result = auditor.finish(timing::analyse_longest(loaded.plan));
  return out;
}

std::string verdicts_of(const capture::AuditResult& result) {
  std::string text;
  for (const auto& t : result.transactions) {
    text += fmt::format("{} {} {}/{}/{}, ", t.name, to_string(t.verdict), t.stats.good,
                        t.stats.exceptions, t.stats.timeouts);
  }
  return text;
}

// Ten seconds of a master that does what the plan says; frames are given to `put`.
void plays_the_plan(PlainTalk& talk, double begin, int seconds = 10) {
  std::uint16_t number = 0xFFFB;  // begins anew soon
  for (int s = 0; s < seconds; ++s) {
    const double t = begin + s;
    const auto exchange = [&](double at, const Octets& request, const Octets& reply) {
      talk.say(at, true, mbap(number, 1, request));
      talk.say(at + 0.004, false, mbap(number, 1, reply));
      ++number;
    };
    exchange(t, read_request(3, 10, 4), read_reply(3, 4));
    if (s % 2 == 0) exchange(t + 0.1, read_request(4, 0, 2), read_reply(4, 2));
    exchange(t + 0.2, {16, 0, 100, 0, 1, 2, 0, 5}, {16, 0, 100, 0, 1});
  }
}

constexpr const char* air_is_good =
    "air-in good 10/0/0, air-state good 5/0/0, air-set good 10/0/0, ";

}  // namespace

TEST_CASE("what the plan does is found in every kind of capture") {
  for (const bool pcapng : {false, true}) {
    for (const Wrapping wrapping : {Wrapping::ethernet, Wrapping::vlan, Wrapping::cooked,
                                    Wrapping::cooked_2, Wrapping::raw, Wrapping::loopback}) {
      for (const bool v6 : {false, true}) {
        INFO(static_cast<int>(wrapping) << " " << pcapng << " " << v6);
        PlainCapture capture(wrapping, pcapng);
        PlainConnection connection;
        connection.v6 = v6;
        PlainTalk talk(capture, connection);
        talk.open(99.9);
        plays_the_plan(talk, 100);
        talk.close(110);
        capture.add_other(111, 17);
        const auto audited = audit_of(capture.bytes(), {{"fd00::1f", "10.20.0.31"}});
        CHECK(audited.error.empty());
        CHECK(verdicts_of(audited.result) == air_is_good);
        CHECK(audited.result.unplanned.empty());
        CHECK(audited.result.stray_replies == 0);
        CHECK(audited.read.lost_bytes == 0);
        CHECK(audited.read.kinds.at("UDP") == 1);
        const auto& in = audited.result.transactions.front().stats;
        CHECK(*in.intervals.mean_ms() == Approx(1000).margin(0.01));
        CHECK(model::to_ms(*in.replies.greatest()) == Approx(4).margin(0.01));
        CHECK(in.clients.size() == 1);
      }
    }
  }
}

TEST_CASE("what is not as planned is told for what it is") {
  PlainCapture capture;
  PlainTalk talk(capture, {});
  talk.open(0.9);
  std::uint16_t number = 1;
  const auto ask = [&](double at, const Octets& request, const Octets& reply) {
    talk.say(at, true, mbap(number, 1, request));
    if (!reply.empty()) talk.say(at + 0.004, false, mbap(number, 1, reply));
    ++number;
  };
  for (int s = 0; s < 20; ++s) {
    const double t = 1.0 + s;
    ask(t, read_request(3, 9, 4), read_reply(3, 4));        // one lower
    ask(t + 0.1, read_request(4, 0, 1), read_reply(4, 1));  // another count
    if (s % 2 == 0)
      ask(t + 0.2, {16, 0, 100, 0, 1, 2, 0, 5},  // half as often, and refused
          s % 4 == 0 ? Octets{0x90, 2} : Octets{16, 0, 100, 0, 1});
    ask(t + 0.3, read_request(1, 0, 8), {1, 1, 0});  // nobody planned it
  }
  const auto audited = audit_of(capture.bytes());
  CHECK(verdicts_of(audited.result) ==
        "air-in shifted 0/0/0, air-state changed 0/0/0, air-set failing 5/5/0, ");
  // a network does not show what is on a line
  CHECK(audited.result.elsewhere == std::vector<std::string>{"fan-in", "fan-set"});
  CHECK(audited.result.transactions[0].note ==
        "asked instead: function 3, hr:9..12 of unit 1 at 10.20.0.31:502");
  CHECK(audited.result.unplanned.size() == 3);
  CHECK(audited.result.unplanned.front().stats.seen == 20);
  CHECK(std::any_of(audited.result.unplanned.begin(), audited.result.unplanned.end(),
                    [](const auto& u) { return u.key.function == 1; }));
}

TEST_CASE("slow, often, late and silent are told by what was measured") {
  const auto verdict_of = [](double period, double reply, bool answers) {
    PlainCapture capture;
    PlainTalk talk(capture, {});
    talk.open(0.9);
    for (int i = 0; i < 20; ++i) {
      const auto number = static_cast<std::uint16_t>(i);
      talk.say(1 + i * period, true, mbap(number, 1, read_request(3, 10, 4)));
      if (answers) talk.say(1 + i * period + reply, false, mbap(number, 1, read_reply(3, 4)));
    }
    const auto audited = audit_of(capture.bytes());
    return fmt::format("{} {}", to_string(audited.result.transactions[0].verdict),
                       audited.result.transactions[0].stats.timeouts);
  };
  CHECK(verdict_of(1.0, 0.004, true) == "good 0");
  CHECK(verdict_of(1.04, 0.004, true) == "good 0");
  CHECK(verdict_of(1.2, 0.004, true) == "slow 0");
  CHECK(verdict_of(0.5, 0.004, true) == "often 0");
  CHECK(verdict_of(1.0, 0.99, true) == "late 0");
  // of twenty nobody answered: the last may still be answered behind the end
  CHECK(verdict_of(1.0, 0, false) == "failing 19");
}

TEST_CASE("repeated, split, joined and shuffled segments change nothing") {
  rc::prop("whatever the network did", [] {
    // the frames of the plan, as one stream each way
    PlainCapture whole;
    PlainTalk straight(whole, {});
    std::vector<PlainSegment> segments;
    std::uint16_t number = 1;
    segments.push_back({0.5, true, 999, 0, 0x02, {}});
    segments.push_back({0.51, false, 0xFFFFFEFFU, 1000, 0x12, {}});
    const std::size_t opening = segments.size();
    for (int s = 0; s < 10; ++s) {
      const auto say = [&](double at, bool to_server, const Octets& bytes) {
        auto segment = straight.segment(at, to_server, bytes);
        // in pieces of any size
        while (segment.payload.size() > 1 && *rc::gen::arbitrary<bool>()) {
          const auto cut = *rc::gen::inRange<std::size_t>(1, segment.payload.size());
          PlainSegment first = segment;
          first.payload.resize(cut);
          segments.push_back(first);
          segment.payload.erase(segment.payload.begin(),
                                segment.payload.begin() + static_cast<std::ptrdiff_t>(cut));
          segment.sequence += static_cast<std::uint32_t>(cut);
        }
        segments.push_back(segment);
      };
      say(1.0 + s, true, mbap(number, 1, read_request(3, 10, 4)));
      say(1.004 + s, false, mbap(number, 1, read_reply(3, 4)));
      ++number;
    }
    // neighbours change places, and some come twice
    for (std::size_t i = opening; i + 1 < segments.size(); ++i) {
      // what one end said stays behind what it answers
      if (segments[i].to_server != segments[i + 1].to_server) continue;
      if (*rc::gen::inRange(0, 2) != 0) continue;
      std::swap(segments[i], segments[i + 1]);
      std::swap(segments[i].time, segments[i + 1].time);
    }
    PlainCapture capture;
    for (const PlainSegment& segment : segments) {
      capture.add({}, segment);
      if (*rc::gen::inRange(0, 4) == 0) capture.add({}, segment);
    }
    const auto audited = audit_of(capture.bytes());
    const auto& stats = audited.result.transactions.front().stats;
    RC_ASSERT(stats.good == 10U);
    RC_ASSERT(stats.timeouts == 0U);
    RC_ASSERT(audited.read.streams.gaps == 0U);
    RC_ASSERT(audited.read.lost_bytes == 0U);
    RC_ASSERT(audited.result.stray_replies == 0U);
  });
}

TEST_CASE(
    "a connection that was open before the capture, and bytes that it missed, cost no more than "
    "they are") {
  PlainCapture capture;
  PlainTalk talk(capture, {});
  // begins inside: the answer to a question nobody saw
  talk.say(0.9, false, mbap(7, 1, read_reply(3, 4)));
  plays_the_plan(talk, 1, 5);
  // a request and half of the answer are missing
  const Octets reply = mbap(77, 1, read_reply(3, 4));
  talk.miss(true, 12);
  talk.miss(false, 5);
  talk.say(6.1, false, Octets(reply.begin() + 5, reply.end()));
  // and the rest of a request whose begin was seen
  const Octets request = mbap(78, 1, read_request(3, 10, 4));
  talk.say(6.2, true, Octets(request.begin(), request.begin() + 5));
  talk.miss(true, 7);
  plays_the_plan(talk, 7, 5);
  // one that was sent twice, at the end of all
  const auto last = talk.segment(12, true, mbap(79, 1, read_request(3, 10, 4)));
  capture.add({}, last);
  capture.add({}, last);
  const auto audited = audit_of(capture.bytes());
  CHECK(audited.read.streams.repeated == 1);
  CHECK(audited.read.lost_bytes >= 5);
  CHECK(audited.result.transactions[0].stats.good == 10);
  CHECK(audited.result.transactions[0].stats.seen == 11);
  CHECK(audited.result.transactions[0].stats.timeouts == 0);
  CHECK(audited.result.stray_replies == 1);
  CHECK(audited.read.streams.gaps >= 1);
}

TEST_CASE("several requests under way at once find their own answers") {
  PlainCapture capture;
  PlainTalk talk(capture, {});
  talk.open(0.5);
  // two questions in one segment, answered the other way round in one
  for (int s = 0; s < 5; ++s) {
    const auto first = static_cast<std::uint16_t>(2 * s);
    const auto second = static_cast<std::uint16_t>(2 * s + 1);
    Octets both = mbap(first, 1, read_request(3, 10, 4));
    const Octets other = mbap(second, 1, read_request(4, 0, 2));
    both.insert(both.end(), other.begin(), other.end());
    talk.say(1 + 2 * s, true, both);
    Octets answers = mbap(second, 1, read_reply(4, 2));
    const Octets more = mbap(first, 1, read_reply(3, 4));
    answers.insert(answers.end(), more.begin(), more.end());
    talk.say(1.01 + 2 * s, false, answers);
  }
  const auto audited = audit_of(capture.bytes());
  CHECK(audited.result.transactions[0].stats.good == 5);
  CHECK(audited.result.transactions[1].stats.good == 5);
  CHECK(audited.result.stray_replies == 0);
}

TEST_CASE("addresses that differ from the plan's are named, and who else asks is counted") {
  PlainCapture capture;
  PlainConnection seen;
  seen.server = 99;
  seen.server_port = 10502;
  PlainTalk talk(capture, seen);
  talk.open(0.9);
  plays_the_plan(talk, 1);
  const auto nobody = audit_of(capture.bytes());
  CHECK(nobody.result.requests == 0);
  CHECK(nobody.read.other.count("10.20.0.99:10502") == 1);
  const auto mapped = audit_of(capture.bytes(), {{"10.20.0.99:10502", "10.20.0.31:502"}});
  CHECK(verdicts_of(mapped.result) == air_is_good);
  CHECK(mapped.result.clients.at({"10.20.0.31:502", "10.0.0.1"}) == 25);
}

TEST_CASE("damaged, empty and foreign files are read as far as they go") {
  PlainCapture capture;
  PlainTalk talk(capture, {});
  talk.open(0.9);
  plays_the_plan(talk, 1);
  const std::string whole = capture.bytes();
  const auto cut = audit_of(whole.substr(0, whole.size() - 3));
  CHECK(cut.error.empty());
  CHECK_FALSE(cut.read.damage.empty());
  CHECK(cut.result.transactions[0].stats.good == 10);
  CHECK(audit_of("").error.find("it is empty") != std::string::npos);
  CHECK(audit_of("no capture at all").error.find("is no capture that can be read") !=
        std::string::npos);
  std::string odd = whole;
  odd[20] = 9;  // a link nobody knows here
  CHECK(audit_of(odd).error.find("of a link that is not known (9)") != std::string::npos);
  // any byte may be another one: nothing worse than other numbers
  std::mt19937 random(1);
  for (int i = 0; i < 300; ++i) {
    std::string wrong = whole;
    for (int k = 0; k < 5; ++k)
      wrong[24 + random() % (wrong.size() - 24)] = static_cast<char>(random());
    (void)audit_of(wrong);
  }
}

TEST_CASE("a log of a line is told by its times, in pieces, with and without directions") {
  const auto loaded = test::load(audited_plan, {});
  const auto hex = [](const Octets& bytes) {
    std::string text;
    for (const std::uint8_t byte : bytes) text += fmt::format(" {:02X}", byte);
    return text;
  };
  const auto log_of = [&](bool directions, bool pieces) {
    std::string text = "# a line, as a logger wrote it\n";
    const auto row = [&](double time, bool request, const Octets& frame) {
      const std::string mark = !directions ? "" : request ? " >" : " <";
      const std::size_t half = frame.size() / 2;
      if (!pieces) {
        text += fmt::format("{:.6f}{}{}\n", time, mark, hex(frame));
        return;
      }
      const auto middle = frame.begin() + static_cast<std::ptrdiff_t>(half);
      text += fmt::format("{:.6f}{}{}\n", time, mark, hex({frame.begin(), middle}));
      text += fmt::format("{:.6f}{}{}\n", time + 0.001, mark, hex({middle, frame.end()}));
    };
    for (int s = 0; s < 10; ++s) {
      const auto framed = [](Octets pdu) {
        pdu.insert(pdu.begin(), 12);
        return test::with_crc(pdu);
      };
      row(s, true, framed(read_request(3, 5, 2)));
      row(s + 0.02, false, framed(read_reply(3, 2)));
      // a write is echoed: the same bytes both ways
      row(s + 0.5, true, framed({6, 0, 9, 0, 1}));
      if (s != 4) row(s + 0.53, false, framed({6, 0, 9, 0, 1}));
    }
    return text + "nonsense\n12.5 4G\n";
  };
  for (const bool directions : {true, false}) {
    for (const bool pieces : {false, true}) {
      INFO(directions << pieces);
      capture::Auditor auditor(loaded.plan);
      const auto read =
          capture::audit_log(log_of(directions, pieces), loaded.plan, model::LineIndex(0), auditor);
      const auto result = auditor.finish(timing::analyse_longest(loaded.plan), model::LineIndex(0));
      const std::string verdicts = verdicts_of(result);
      CHECK(verdicts == "fan-in good 10/0/0, fan-set failing 9/0/1, ");
      CHECK(result.elsewhere.size() == 3);
      CHECK(read.bad_rows == 2);
      CHECK(read.first_bad_row.starts_with("line "));
      CHECK(result.unplanned.empty());
    }
  }
}

TEST_CASE("a stream is cut into its frames wherever the pieces end, and found again after a gap") {
  rc::prop("frames come out as they went in", [] {
    std::vector<Octets> frames;
    Octets stream;
    const int count = *rc::gen::inRange(1, 8);
    for (int i = 0; i < count; ++i) {
      // also the longest and the shortest that there are
      const std::size_t size = i == 0 ? 253 : i == 1 ? 1 : *rc::gen::inRange<std::size_t>(1, 254);
      Octets pdu(size, static_cast<std::uint8_t>(i + 1));
      frames.push_back(mbap(static_cast<std::uint16_t>(i), 1, pdu));
      stream.insert(stream.end(), frames.back().begin(), frames.back().end());
    }
    capture::MbapCutter cutter;
    std::vector<modbus::Frame> found;
    std::size_t at = 0;
    while (at < stream.size()) {
      const auto size = *rc::gen::inRange<std::size_t>(1, stream.size() - at + 1);
      cutter.add(model::Duration(1), std::as_bytes(std::span(stream).subspan(at, size)), false,
                 [&](const modbus::Frame& frame, model::Duration, model::Duration) {
                   found.push_back(frame);
                 });
      at += size;
    }
    RC_ASSERT(found.size() == frames.size());
    for (std::size_t i = 0; i < found.size(); ++i) {
      RC_ASSERT(found[i].transaction == i);
      RC_ASSERT(found[i].pdu.size() + 7 == frames[i].size());
    }
    RC_ASSERT(cutter.lost_bytes() == 0U);
  });
}

TEST_CASE("a plan drafted from the capture of a plan has the same transactions") {
  PlainCapture capture;
  PlainTalk talk(capture, {});
  talk.open(0.9);
  plays_the_plan(talk, 1, 20);
  // once only: no period
  talk.say(30, true, mbap(9, 1, read_request(3, 500, 1)));
  talk.say(30.01, false, mbap(9, 1, read_reply(3, 1)));
  const auto nothing = test::load("[plan]\ntitle = \"none\"\n", {});
  const CaptureOnDisk file(capture.bytes());
  capture::Auditor auditor(nothing.plan);
  capture::SeenValues values;
  auditor.watch([&](const capture::AskKey& key, const std::vector<std::uint16_t>& words) {
    values.add(key, words);
  });
  REQUIRE(capture::audit_capture(file.path.string(), nothing.plan, {}, auditor, {}));
  const auto draft =
      capture::draft_plan(auditor.finish(timing::analyse_longest(nothing.plan)), values);
  CHECK(draft.slaves == 1);
  CHECK(draft.transactions == 3);
  CHECK(draft.left_out ==
        std::vector<std::string>{"function 3, hr:500 of unit 1 at 10.20.0.31:502: seen once"});
  test::Files files = draft.files;
  const std::string plan = files.extract("plan.toml").mapped();
  const auto loaded = test::load(plan, files);
  for (const model::Finding& f : loaded.findings) {
    INFO(f.message);
    CHECK(f.severity != model::Severity::error);
  }
  // every transaction on a connection of the plan that was played, and no other
  const auto original = test::load(audited_plan, {});
  const auto asked_of = [](const model::ResolvedPlan& resolved) {
    std::map<std::string, std::string> out;
    for (const auto& t : resolved.exchange.transactions) {
      if (!t.endpoint.connection) continue;
      out[to_text(*capture::key_of(resolved, t))] = model::to_text(t.trigger.period);
    }
    return out;
  };
  CHECK(asked_of(loaded.plan) == asked_of(original.plan));
  // how the registers moved stands in the map
  CHECK(draft.files.at("maps/device31.csv").find("hr100,hr,100,u16,,w,\"always 5\"\r\n") !=
        std::string::npos);
  CHECK(draft.files.at("maps/device31.csv").find("hr10,hr,10,u16,,r,\"always 1799\"\r\n") !=
        std::string::npos);
}

TEST_CASE("periods are those that people write, and never far from what was measured") {
  const auto text_of = [](double ms) {
    return model::to_text(capture::usual_period(model::Duration(std::llround(ms * 1e6))));
  };
  CHECK(text_of(999.7) == "1s");
  CHECK(text_of(1012) == "1s");
  CHECK(text_of(49.2) == "50ms");
  CHECK(text_of(4990) == "5s");
  CHECK(text_of(1234) == "1200ms");
  CHECK(text_of(7) == "7ms");
  rc::prop("within 6 % and a millisecond", [] {
    const auto measured =
        model::Duration(*rc::gen::inRange<std::int64_t>(1'000'000, 90'000'000'000));
    const double apart =
        std::abs(model::to_ms(capture::usual_period(measured)) - model::to_ms(measured));
    RC_ASSERT(apart <= 0.06 * model::to_ms(measured) + 0.51);
  });
}

TEST_CASE("who asks again as soon as he has the answer is drafted as continuous") {
  const auto every_of = [](double interval, double reply) {
    PlainCapture capture;
    PlainTalk talk(capture, {});
    for (int i = 0; i < 10; ++i) {
      const auto number = static_cast<std::uint16_t>(i);
      talk.say(1 + i * interval, true, mbap(number, 1, read_request(3, 10, 4)));
      talk.say(1 + i * interval + reply, false, mbap(number, 1, read_reply(3, 4)));
    }
    const auto audited = audit_of(capture.bytes(), {}, "[plan]\ntitle = \"none\"\n");
    const auto draft = capture::draft_plan(audited.result, {});
    const std::string& plan = draft.files.at("plan.toml");
    const std::size_t at = plan.find("every = ") + 8;
    return plan.substr(at, plan.find('"', at + 1) + 1 - at);
  };
  CHECK(every_of(0.096, 0.088) == "\"continuous\"");
  CHECK(every_of(0.2, 0.088) == "\"200ms\"");
  CHECK(every_of(1, 0.004) == "\"1s\"");
}
