// Every row of the table of outcomes, by arithmetic written here.
#include "timing/transaction_times.h"
#include "timing/timing_model.h"

#include <catch2/catch.hpp>

#include <cmath>

#include "model/duration_text.h"
#include "model/resolved_plan.h"
#include "plans.h"

using namespace greymet;
using namespace greymet::timing;
using model::to_ms;

namespace {

// Times of the first transaction of a plan.
timing::TransactionTimes times_of(const std::string& plan) {
  const auto loaded = test::load(plan, test::base_files());
  for (const auto& f : loaded.findings) UNSCOPED_INFO(f.message);
  const auto times =
      timing::transaction_times(loaded.plan.exchange, loaded.plan.exchange.transactions.at(0));
  REQUIRE(times.has_value());
  return *times;
}

std::string serial_plan(const std::string& line, const std::string& slave,
                        const std::string& what) {
  return "[controller.c]\nscan = \"10ms\"\n[controller.c.memory]\n\"%MW\" = { kind = \"word\", "
         "count = 500 }\n"
         "\"%MX\" = { kind = \"bit\", count = 500 }\n"
         "[line.l]\nmaster = \"c\"\n" +
         line + "\n[slave.s]\nline = \"l\"\n" + slave +
         "\n[exchange]\ntransactions = [ { name = \"t\", slave = \"s\", every = \"1s\", " + what +
         " } ]\n";
}

constexpr const char* read_10 = "fc = 3, at = 0, count = 10, into = \"%MW0\"";
constexpr double tolerance = 2e-6;  // each part is rounded up to a whole nanosecond

}  // namespace

TEST_CASE("the worked example: 9600 baud 8E1, ten registers, reply after 10 ms") {
  const auto times = times_of(
      serial_plan("mode = \"rtu\"\nbaud = 9600\nformat = \"8E1\"\ntimeout = \"5s\"\nretries = 2",
                  "unit = 1\nreply = { typical = \"10ms\", max = \"10ms\" }", read_10));
  const double t_char = 11.0 / 9600 * 1000;
  CHECK(to_ms(times.typical) ==
        Approx(8 * t_char + 10 + 25 * t_char + 3.5 * t_char).margin(tolerance));
  CHECK(std::round(to_ms(times.typical) * 1000) / 1000 == 51.823);
  CHECK(times.request_bytes == 8);
  CHECK(times.reply_bytes == 25);
  // silent: 3 x (request + 5 s + gap) = 3 x (9.1667 + 5000 + 4.0104)
  CHECK(to_ms(*times.silent) == Approx(3 * (8 * t_char + 5000 + 3.5 * t_char)).margin(tolerance));
  CHECK(std::round(to_ms(*times.silent)) == 15040);
  // exception: 5 bytes instead of 25
  CHECK(to_ms(times.longest - times.exception_longest) == Approx(20 * t_char).margin(tolerance));
}

TEST_CASE("gaps: fixed above 19200 baud, none in ASCII, pauses where they are longer") {
  const std::string slave = "unit = 1\nreply = { typical = \"1ms\", max = \"30ms\" }";
  const auto gap = [&](const std::string& line, const std::string& more = "") {
    return to_ms(times_of(serial_plan(line, slave + more, read_10)).serial->gap);
  };
  CHECK(gap("mode = \"rtu\"\nbaud = 19200\nformat = \"8E1\"") ==
        Approx(3.5 * 11 / 19.2).margin(tolerance));
  CHECK(gap("mode = \"rtu\"\nbaud = 38400\nformat = \"8E1\"") == 1.75);
  CHECK(gap("mode = \"ascii\"\nbaud = 9600\nformat = \"7E1\"") == 0);
  CHECK(gap("mode = \"rtu\"\nbaud = 38400\nformat = \"8E1\"\npause = \"4ms\"") == 4);
  CHECK(gap("mode = \"rtu\"\nbaud = 38400\nformat = \"8E1\"\npause = \"4ms\"",
            "\npause = \"6ms\"") == 6);
  CHECK(gap("mode = \"rtu\"\nbaud = 38400\nformat = \"8E1\"\npause = \"1ms\"") == 1.75);
}

TEST_CASE("a reply never starts before the end of the frame gap") {
  const auto times =
      times_of(serial_plan("mode = \"rtu\"\nbaud = 9600\nformat = \"8E1\"",
                           "unit = 1\nreply = { typical = \"1ms\", max = \"2ms\" }", read_10));
  const double t35 = 3.5 * 11 / 9.6;
  CHECK(to_ms(times.serial->turnaround_typical) == Approx(t35).margin(tolerance));
  CHECK(to_ms(times.serial->turnaround_longest) == Approx(t35).margin(tolerance));
}

TEST_CASE("ASCII sends two characters a byte, and frames") {
  const auto times =
      times_of(serial_plan("mode = \"ascii\"\nbaud = 9600\nformat = \"7E1\"",
                           "unit = 1\nreply = { typical = \"10ms\", max = \"10ms\" }", read_10));
  CHECK(times.request_bytes == 17);
  CHECK(times.reply_bytes == 51);
  CHECK(to_ms(times.typical) == Approx((17 + 51) * 10 / 9.6 + 10).margin(tolerance));
}

TEST_CASE("a broadcast waits for nobody, but for the turnaround") {
  const std::string line = "mode = \"rtu\"\nbaud = 9600\nformat = \"8E1\"";
  const std::string what = "fc = 16, at = 0, count = 2, from = \"%MW0\"";
  auto times = times_of(serial_plan(line, "unit = 0", what));
  CHECK(to_ms(times.longest) == Approx(13 * 11 / 9.6 + 100).margin(tolerance));
  CHECK(times.reply_bytes == 0);
  CHECK_FALSE(times.silent.has_value());
  times = times_of(serial_plan(line + "\nturnaround = \"1ms\"", "unit = 0", what));
  CHECK(to_ms(times.longest) == Approx(13 * 11 / 9.6 + 3.5 * 11 / 9.6).margin(tolerance));
}

TEST_CASE("direct TCP: round trip and reply, each connection one more round trip") {
  const auto plan = [](const std::string& more) {
    return "[controller.c]\nscan = \"10ms\"\n[controller.c.memory]\n\"%MW\" = { kind = \"word\", "
           "count = 500 }\n"
           "[slave.s]\nhost = \"10.0.0.1\"\nreply = { typical = \"3ms\", max = \"20ms\" }\n"
           "rtt = { typical = \"1ms\", max = \"4ms\" }\ntimeout = \"500ms\"\nretries = 1\n" +
           more +
           "\n[exchange]\ntransactions = [ { name = \"t\", slave = \"s\", every = \"1s\", fc = 3, "
           "at = 0, count = 10, into = \"%MW0\" } ]\n";
  };
  auto times = times_of(plan(""));
  CHECK(to_ms(times.typical) == 4);
  CHECK(to_ms(times.longest) == 24);
  CHECK(to_ms(*times.silent) == 1000);
  CHECK(to_ms(times.failed_attempt) == 500);
  CHECK(times.request_bytes == 12);
  CHECK(times.reply_bytes == 29);
  CHECK_FALSE(times.assumed.contains(model::FactKind::reply));
  times = times_of(plan("connect = \"each\"\npause = \"2ms\""));
  CHECK(to_ms(times.typical) == 1 + 1 + 3 + 2);
  CHECK(to_ms(times.longest) == 4 + 4 + 20 + 2);
  // each of both tries opens a connection, and then waits
  CHECK(to_ms(times.failed_attempt) == 4 + 500);
  CHECK(to_ms(*times.silent) == 2 * (4 + 500));
}

TEST_CASE("a peer answers within two of its scans; defaults are marked") {
  const std::string text =
      "[controller.c]\nscan = \"10ms\"\n[controller.c.memory]\n\"%MW\" = { kind = \"word\", count "
      "= 500 }\n"
      "[controller.p]\nscan = \"8ms\"\naddress = \"10.0.0.2\"\nanswers = [ { timeout = \"300ms\", "
      "retries = 2 } ]\n"
      "[exchange]\ntransactions = [ { name = \"t\", controller = \"c\", slave = \"p\", every = "
      "\"1s\", fc = 3, at = 0, count = 10, into = \"%MW0\" } ]\n";
  const auto times = times_of(text);
  CHECK(to_ms(times.typical) == 1 + 8);
  CHECK(to_ms(times.longest) == 5 + 16);
  CHECK(to_ms(*times.silent) == 900);
  CHECK_FALSE(times.assumed.contains(model::FactKind::reply));
  const auto marked =
      times_of(serial_plan("mode = \"rtu\"\nbaud = 9600\nformat = \"8E1\"", "unit = 1", read_10));
  CHECK(marked.assumed.contains(model::FactKind::reply));
  CHECK(to_ms(marked.serial->turnaround_typical) == 10);
  CHECK(to_ms(marked.serial->turnaround_longest) == 50);
}

TEST_CASE("through a gateway: the network, the box and the serial time") {
  const auto plan = [](const std::string& gateway) {
    return "[controller.c]\nscan = \"10ms\"\n[controller.c.memory]\n\"%MW\" = { kind = \"word\", "
           "count = 500 }\n"
           "[gateway.g]\nhost = \"10.0.0.9\"\n" +
           gateway +
           "\n[line.l]\nvia = \"g\"\nmode = \"rtu\"\nbaud = 9600\nformat = \"8E1\"\ntimeout = "
           "\"500ms\"\nretries = 1\n"
           "[slave.s]\nline = \"l\"\nunit = 1\nreply = { typical = \"10ms\", max = \"30ms\" }\n"
           "[exchange]\ntransactions = [ { name = \"t\", slave = \"s\", every = \"1s\", fc = 3, at "
           "= 0, count = 10, into = \"%MW0\" } ]\n";
  };
  const double t_char = 11 / 9.6;
  const double serial = 8 * t_char + 30 + 25 * t_char + 3.5 * t_char;
  auto times =
      times_of(plan("timeout = \"4s\"\non_silence = \"exception\"\ndelay = { typical = \"2ms\", "
                    "max = \"8ms\" }"));
  CHECK(to_ms(times.longest) == Approx(5 + 8 + serial).margin(tolerance));
  CHECK(to_ms(times.serial_longest()) == Approx(serial).margin(tolerance));
  CHECK(times.request_bytes == 12);
  // the gateway gives up after two tries and says so
  const double gives_up = 5 + 8 + 2 * (8 * t_char + 500 + 3.5 * t_char);
  CHECK(to_ms(*times.silent) == Approx(gives_up).margin(tolerance));
  // a master that is less patient gives up first
  times = times_of(plan("timeout = \"700ms\"\non_silence = \"exception\""));
  CHECK(to_ms(*times.silent) == 700);
  // a transparent gateway says nothing: the master waits, as often as it tries
  times = times_of(plan("timeout = \"700ms\"\nretries = 1\nframing = \"rtu\""));
  CHECK(to_ms(*times.silent) == 1400);
  CHECK(times.request_bytes == 8);
  // neither does one that translates, where nobody says that it does: the worst is taken
  for (const std::string said : {"", "on_silence = \"nothing\"\n"}) {
    const std::string box = said + "delay = { typical = \"2ms\", max = \"8ms\" }\nretries = 2\n";
    times = times_of(plan("timeout = \"4s\"\n" + box));
    CHECK(to_ms(*times.silent) == 3 * 4000);
    CHECK(to_ms(times.failed_attempt) == 4000);
    CHECK(times.request_bytes == 12);
    CHECK(times.assumed.contains(model::FactKind::on_silence) == said.empty());
    // a master that asks again while the box still tries finds the line busy
    times = times_of(plan("timeout = \"700ms\"\n" + box));
    CHECK(to_ms(*times.silent) == Approx(3 * gives_up).margin(tolerance));
  }
}

TEST_CASE("what a time needs and is missing leaves it out") {
  const auto loaded =
      test::load(serial_plan("mode = \"rtu\"\nformat = \"8E1\"", "unit = 1", read_10));
  CHECK_FALSE(timing::transaction_times(loaded.plan.exchange, loaded.plan.exchange.transactions[0])
                  .has_value());
  CHECK(timing::build_timing_model(loaded.plan).queues[0].jobs.empty());
}

TEST_CASE("what the physics of a port and of a slave adds, key by key") {
  // 19200 8E1: a character of 11 / 19.2 ms; 8 out, 9 in
  constexpr double character = 11 / 19.2;
  constexpr double rest = 3.5 * character;
  const auto times_with = [](const std::string& line, const std::string& slave) {
    auto text = test::with_rows(
        {R"({ name = "a", slave = "pump", fc = 3, at = 0, count = 2, into = "%MW10", every = "1s" })"});
    text = test::replaced(text, "format = \"8E1\"\n", "format = \"8E1\"\n" + line);
    text = test::replaced(text, "map = \"pump.csv\"\n", "map = \"pump.csv\"\n" + slave);
    const auto loaded = test::load(text, test::base_files());
    for (const auto& f : loaded.findings) FAIL(f.message);
    return build_timing_model(loaded.plan).queues.at(0).jobs.at(0).times;
  };
  const auto ms = [](Duration d) { return model::to_ms(d); };
  const auto plain = times_with("", "");
  CHECK(ms(plain.longest) == Approx(17 * character + 20 + rest));
  CHECK(ms(plain.typical) == Approx(17 * character + 5 + rest));
  CHECK(ms(plain.shortest) == Approx(17 * character + rest + rest));
  CHECK(ms(longest_reply(plain)) == Approx(20 + 9 * character));
  CHECK(ms(plain.failed_attempt) == Approx(8 * character + 500 + rest));
  SECTION("latency of the port: before each request as a rule, in tries, and behind replies") {
    const auto late = times_with("latency = { typical = \"1ms\", max = \"16ms\" }\n", "");
    CHECK(late.shortest == plain.shortest);
    CHECK(ms(late.typical - plain.typical) == Approx(1));
    CHECK(ms(late.longest - plain.longest) == Approx(16));
    CHECK(ms(late.exception_longest - plain.exception_longest) == Approx(16));
    CHECK(ms(late.failed_attempt - plain.failed_attempt) == Approx(16));
    CHECK(ms(*late.silent - *plain.silent) == Approx(2 * 16));
    CHECK(ms(failure_times(late).silent() - failure_times(plain).silent()) == Approx(2 * 16));
    CHECK(ms(longest_reply(late) - longest_reply(plain)) == Approx(16));
  }
  SECTION("silence inside frames: seven gaps of the master, eight of the slave") {
    const auto gaps = times_with("character_gap = 1.5\n", "character_gap = 0.5\n");
    CHECK(gaps.typical == plain.typical);
    CHECK(ms(gaps.longest - plain.longest) == Approx((7 * 1.5 + 8 * 0.5) * character));
    CHECK(ms(gaps.exception_longest - plain.exception_longest) ==
          Approx((7 * 1.5 + 4 * 0.5) * character));
    CHECK(ms(gaps.failed_attempt - plain.failed_attempt) == Approx(7 * 1.5 * character));
    CHECK(ms(longest_reply(gaps) - longest_reply(plain)) == Approx(8 * 0.5 * character));
  }
  SECTION("a slave that looks at its port once in a while") {
    const auto scans = times_with("", "scans = \"10ms\"\n");
    CHECK(scans.shortest == plain.shortest);
    CHECK(ms(scans.typical - plain.typical) == Approx(5));
    CHECK(ms(scans.longest - plain.longest) == Approx(10));
  }
  SECTION("the first byte ends the timeout") {
    const auto first = times_with("timeout_to = \"first\"\n", "");
    CHECK(first.longest == plain.longest);
    CHECK(ms(longest_reply(first)) == Approx(20));
  }
  SECTION("the least that a reply takes") {
    auto text = test::with_rows(
        {R"({ name = "a", slave = "pump", fc = 3, at = 0, count = 2, into = "%MW10", every = "1s" })"});
    const std::size_t at = text.find("reply = { typical", text.find("[slave.pump]"));
    text.replace(at, text.find('\n', at) - at,
                 "reply = { min = \"4ms\", typical = \"5ms\", max = \"20ms\" }");
    const auto loaded = test::load(text, test::base_files());
    const auto least = build_timing_model(loaded.plan).queues.at(0).jobs.at(0).times;
    CHECK(ms(least.shortest) == Approx(17 * character + 4 + rest));
    CHECK(least.longest == plain.longest);
  }
}

TEST_CASE("what the master is late counts once in each request and each try, on every medium") {
  const auto with = [](const std::string& where, const std::string& jitter) {
    return times_of("[controller.c]\nscan = \"10ms\"\n" + jitter +
                    "[controller.c.memory]\n\"%MW\" = { kind = \"word\", count = 500 }\n" + where +
                    "[exchange]\ntransactions = [ { name = \"t\", slave = \"s\", every = \"9s\", " +
                    read_10 + " } ]\n");
  };
  const std::string serial = "mode = \"rtu\"\nbaud = 9600\nformat = \"8E1\"\nretries = 1\n";
  const std::string box = "[gateway.g]\nhost = \"10.0.0.9\"\ntimeout = \"4s\"\nretries = 1\n";
  struct Where {
    std::string text;
    int tries;  // that are late, when nobody answers
  };
  const Where all[] = {
      {"[line.l]\nmaster = \"c\"\n" + serial + "[slave.s]\nline = \"l\"\nunit = 1\n", 2},
      {"[slave.s]\nhost = \"10.0.0.8\"\nretries = 2\n", 3},
      {box + "[line.l]\nvia = \"g\"\n" + serial + "[slave.s]\nline = \"l\"\nunit = 1\n", 2},
      {box + "framing = \"rtu\"\n[line.l]\nvia = \"g\"\n" + serial +
           "[slave.s]\nline = \"l\"\nunit = 1\n",
       2},
      {box + "on_silence = \"exception\"\n[line.l]\nvia = \"g\"\n" + serial +
           "[slave.s]\nline = \"l\"\nunit = 1\n",
       1}};  // the box tries by itself
  for (const Where& where : all) {
    INFO(where.text);
    const auto prompt = with(where.text, "");
    const auto late = with(where.text, "jitter = \"7ms\"\n");
    CHECK(to_ms(late.longest - prompt.longest) == 7);
    CHECK(late.typical == prompt.typical);
    CHECK(late.shortest == prompt.shortest);
    CHECK(to_ms(late.failed_attempt - prompt.failed_attempt) == 7);
    CHECK(to_ms(*late.silent - *prompt.silent) == 7 * where.tries);
    CHECK(failure_times(late).silent() == *late.silent);
    CHECK(to_ms(longest_reply(late) - longest_reply(prompt)) ==
          (late.serial && late.network && !late.timeout_of_master ? 0 : 7));
  }
}
