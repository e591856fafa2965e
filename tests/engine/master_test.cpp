// The master by itself: events are told by hand, actions are looked at. What the law of the virtual
// world does not reach: causes, gates, values nobody stated, connections, answers out of place.
#include "engine/master.h"

#include <fmt/format.h>
#include <catch2/catch.hpp>

#include <cmath>

#include "plans.h"

using namespace greymet;
using namespace greymet::engine;
using std::chrono::milliseconds;
using std::chrono::seconds;
using ActionKind = MasterAction::Kind;

namespace {

constexpr const char* plan_head = R"([controller.kiln]
scan = "10ms"
word_order = "ABCD"
[controller.kiln.memory]
"%MW" = { kind = "word", first = 0, count = 1000 }
"%MX" = { kind = "bit", first = 0, count = 100 }
[line.north]
master = "kiln"
mode = "rtu"
baud = 19200
format = "8E1"
timeout = "100ms"
[slave.a]
line = "north"
unit = 1
map = "pair.csv"
word_order = "CDAB"
reply = { typical = "5ms", max = "20ms" }
[slave.all]
line = "north"
unit = 0
[slave.t]
host = "10.20.0.31"
timeout = "50ms"
connect_timeout = "80ms"
reply = { typical = "5ms", max = "20ms" }
[exchange]
transactions = [
)";

// One master with its plan, told what happens.
class Site {
 public:
  explicit Site(const std::vector<std::string>& rows, MasterOptions options = {},
                std::string text = plan_head) {
    for (const std::string& row : rows) text += "  { controller = \"kiln\", " + row + " },\n";
    loaded_ = test::load(text + "]\n", {{"pair.csv",
                                         "point,area,address,type\nx,hr,0,f32\n"
                                         "y,hr,2,u16\n"}});
    REQUIRE_FALSE(loaded_.unreadable);
    timing_ = timing::build_timing_model(loaded_.plan);
    memory.emplace(loaded_.plan.layouts[0]);
    master.emplace(loaded_.plan, timing_, model::ControllerIndex(0), *memory, options);
  }

  // Everything that is to be done now, as text: "send north 01 03 ...", "connect t".
  std::vector<std::string> act(Duration now) {
    std::vector<MasterAction> actions;
    master->act(now, actions);
    std::vector<std::string> out;
    for (const MasterAction& action : actions) {
      const std::string& name = timing_.queues[action.link].name;
      if (action.kind == ActionKind::connect) out.push_back("connect " + name);
      if (action.kind == ActionKind::close) out.push_back("close " + name);
      if (action.kind == ActionKind::send) out.push_back("send " + name);
      if (action.kind == ActionKind::send) sent = action.bytes;
    }
    for (RequestRecord& record : master->take_records()) records.push_back(record);
    return out;
  }
  // Acts at every instant at which something is due.
  std::vector<std::string> act_until(Duration until) {
    std::vector<std::string> out;
    while (true) {
      const Duration next = std::max(now_, master->next_wake());
      if (next > until || next == now_) break;
      now_ = next;
      for (std::string& action : act(now_)) {
        out.push_back(fmt::format("{:g} {}", static_cast<double>(now_.count()) / 1e6, action));
      }
    }
    now_ = until;
    return out;
  }
  // A reply to what was sent last, on the first link.
  void reply(Duration now, std::uint8_t unit, const modbus::Bytes& pdu, std::size_t link = 0) {
    master->receive(now, link, *modbus::encode_frame({unit, number(), pdu}, framing(link)));
  }
  [[nodiscard]] std::uint16_t number() const {
    return sent.size() < 2 ? std::uint16_t{0}
                           : static_cast<std::uint16_t>(std::to_integer<unsigned>(sent[0]) << 8U |
                                                        std::to_integer<unsigned>(sent[1]));
  }
  [[nodiscard]] modbus::Framing framing(std::size_t link) const {
    return timing_.queues[link].kind == timing::QueueKind::serial ? modbus::Framing::rtu
                                                                  : modbus::Framing::tcp;
  }
  // What came on all links and was no answer.
  [[nodiscard]] std::uint64_t odd(Oddity oddity) const {
    std::uint64_t all = 0;
    for (const MasterLink& link : master->links()) all += link.oddities().of(oddity);
    return all;
  }
  [[nodiscard]] std::uint64_t odd() const {
    std::uint64_t all = 0;
    for (const MasterLink& link : master->links()) all += link.oddities().total();
    return all;
  }
  [[nodiscard]] BitSequence word(std::int64_t number_of_word) const {
    return {0, static_cast<std::uint64_t>(number_of_word) * 16, 16, 16};
  }

  std::optional<ControllerMemory> memory;
  std::optional<Master> master;
  modbus::Bytes sent;
  std::vector<RequestRecord> records;

 private:
  files::LoadedPlan loaded_;
  timing::TimingModel timing_;
  Duration now_{};
};

modbus::Bytes pdu(const char* hex) {
  return *modbus::from_hex(hex);
}
const Duration answered_in = milliseconds(20);

const char* const read_x =
    R"(name = "x", slave = "a", fc = 3, at = 0, count = 2, into = "%MW10", every = "1s")";

}  // namespace

TEST_CASE("a word order that is swapped on the way lies in memory as the program wants it") {
  Site site({std::string(read_x) + ", swap = \"ABCD\""});
  CHECK(site.act({}) == std::vector<std::string>{"send north"});
  site.reply(answered_in, 1, pdu("03 04 00 00 41 48"));  // 12.5, the low word first
  (void)site.act(answered_in);
  CHECK(site.memory->registers(site.word(10), 1)[0] == 0x4148);
  CHECK(site.memory->registers(site.word(11), 1)[0] == 0);
  (void)site.act(milliseconds(500));
  REQUIRE(site.records.size() == 1);
  CHECK(site.records[0].words == std::vector<std::uint16_t>{0x4148, 0});
}

TEST_CASE("a trigger sets its transaction off at its rising edge, and no oftener than min_gap") {
  Site site(
      {R"(name = "c", slave = "a", fc = 6, at = 2, from = "%MW20", on = "%MX1", min_gap = "300ms")"});
  CHECK(site.act({}).empty());
  const auto set = [&](bool value) { site.memory->set_bit(1, 1, value); };
  set(true);
  CHECK(site.act(milliseconds(50)) == std::vector<std::string>{"send north"});
  CHECK(site.act(milliseconds(60)).empty());  // it stays set: no edge
  site.reply(milliseconds(75), 1, pdu("06 00 02 00 00"));
  (void)site.act(milliseconds(75));
  set(false);
  (void)site.act(milliseconds(80));
  set(true);  // the next edge is kept until the gap is over
  (void)site.act(milliseconds(100));
  CHECK(site.act(milliseconds(349)).empty());
  CHECK(site.act(milliseconds(350)) == std::vector<std::string>{"send north"});
}

TEST_CASE("a change of its words sets a transaction off, the first sight of them does not") {
  Site site(
      {R"(name = "c", slave = "a", fc = 6, at = 2, from = "%MW20", on = "change", min_gap = "100ms")"});
  CHECK(site.act({}).empty());
  site.memory->put_registers(site.word(20), {7});
  CHECK(site.act(milliseconds(10)) == std::vector<std::string>{"send north"});
  CHECK(modbus::to_hex(site.sent).substr(0, 17) == "01 06 00 02 00 07");
  site.memory->put_registers(site.word(20), {7});
  CHECK(site.act(milliseconds(15)).empty());
}

TEST_CASE("a gate that is shut keeps a transaction back") {
  Site site({std::string(read_x) + ", only_if = \"%MX5\""});
  CHECK(site.act({}).empty());
  CHECK(site.records.empty());
  site.memory->set_bit(1, 5, true);
  CHECK(site.act(milliseconds(999)).empty());  // until its next release
  CHECK(site.act(seconds(1)) == std::vector<std::string>{"send north"});
}

TEST_CASE("nothing is written that nobody stated") {
  MasterOptions options;
  options.only_known_values = true;
  const std::string row =
      R"(name = "w", slave = "a", fc = 16, at = 0, count = 2, from = "%MW30", every = "1s")";
  Site site({row}, options);
  CHECK(site.act({}).empty());
  site.memory->put_registers(site.word(30), {0});  // one of two
  CHECK(site.act(seconds(1)).empty());
  REQUIRE(site.records.size() == 2);
  CHECK(site.records[1].outcome == Outcome::left_out);
  site.memory->put_registers(site.word(31), {0});
  CHECK(site.act(seconds(2)) == std::vector<std::string>{"send north"});
  options.allow_writes = false;
  Site barred({row}, options);
  barred.memory->put_registers(barred.word(30), {1});
  barred.memory->put_registers(barred.word(31), {1});
  CHECK(barred.act({}).empty());
  CHECK(barred.act_until(seconds(5)).empty());
  REQUIRE(barred.records.size() == 1);  // said once
  CHECK(barred.records[0].outcome == Outcome::left_out);
}

TEST_CASE("broadcasts need to be allowed, and wait for no answer") {
  const std::string row =
      R"(name = "w", slave = "all", fc = 6, at = 0, from = "%MW30", every = "1s")";
  MasterOptions options;
  options.allow_broadcasts = false;
  Site barred({row}, options);
  CHECK(barred.act({}).empty());
  CHECK(barred.act_until(seconds(3)).empty());
  REQUIRE(barred.records.size() == 1);
  CHECK(barred.records[0].outcome == Outcome::left_out);
  Site site({row});
  CHECK(site.act({}) == std::vector<std::string>{"send north"});
  (void)site.act_until(milliseconds(300));
  REQUIRE(site.records.size() == 1);
  CHECK(site.records[0].outcome == Outcome::good);
  CHECK(site.records[0].broadcast);
  // 8 characters and the turnaround of 100 ms
  CHECK(site.records[0].end > milliseconds(104));
  CHECK(site.records[0].end < milliseconds(105));
}

TEST_CASE("an answer that comes too late is taken for no other request's") {
  // alike but for the address
  Site site(
      {R"(name = "p", slave = "a", fc = 3, at = 10, count = 1, into = "%MW10", every = "1s")",
       R"(name = "q", slave = "a", fc = 3, at = 20, count = 1, into = "%MW20", every = "1s", phase = "10ms")"});
  CHECK(site.act({}) == std::vector<std::string>{"send north"});
  // both tries of p time out; q's turn comes
  const auto actions = site.act_until(milliseconds(240));
  REQUIRE(actions.size() == 2);
  CHECK(modbus::to_hex(site.sent).substr(0, 14) == "01 03 00 14 00");
  // two answers to p: neither is q's
  site.reply(milliseconds(260), 1, pdu("03 02 11 11"));
  site.reply(milliseconds(270), 1, pdu("03 02 11 11"));
  (void)site.act(milliseconds(271));
  CHECK(site.memory->registers(site.word(20), 1)[0] == 0);
  CHECK(site.odd(Oddity::ambiguous) == 2);
  // nor is a third: who answers late may answer twice
  site.reply(milliseconds(280), 1, pdu("03 02 22 22"));
  (void)site.act(milliseconds(280));
  CHECK(site.memory->registers(site.word(20), 1)[0] == 0);
  // the slave is asked again when nothing can come any more, and believed
  for (const std::string& action : site.act_until(milliseconds(2900))) {
    const double at = std::stod(action);
    INFO(action);
    CHECK((at < 400 || at >= 2280));
  }
  CHECK(site.act(milliseconds(3000)) == std::vector<std::string>{"send north"});
  site.reply(milliseconds(3020), 1, pdu("03 02 33 33"));
  (void)site.act(milliseconds(3020));
  CHECK(site.memory->registers(site.word(10), 1)[0] == 0x3333);
}

TEST_CASE("a late answer that is seen puts its question off until nothing can come any more") {
  Site site(
      {R"(name = "p", slave = "a", fc = 3, at = 10, count = 1, into = "%MW10", every = "1s")",
       R"(name = "q", slave = "a", fc = 3, at = 20, count = 1, into = "%MW20", every = "1s", phase = "500ms")",
       R"(name = "r", slave = "a", fc = 3, at = 20, count = 2, into = "%MW30", every = "1s", phase = "700ms")"});
  (void)site.act({});
  (void)site.act_until(milliseconds(300));
  // the line is idle: late answers belong to nobody
  site.reply(milliseconds(310), 1, pdu("03 02 11 11"));
  (void)site.act_until(milliseconds(620));
  site.reply(milliseconds(620), 1, pdu("03 02 11 11"));
  (void)site.act(milliseconds(621));
  CHECK(site.odd(Oddity::unasked) == 2);
  // p and q would be answered by the same bytes, r would not: for 2 s behind the last one only r is
  // asked, both tries each, the second a timeout, the request and the gap later
  std::string sent;
  for (const std::string& action : site.act_until(milliseconds(2620))) sent += action + "; ";
  CHECK(sent == "700 send north; 806.589 send north; 1700 send north; 1806.59 send north; ");
  (void)site.act_until(milliseconds(2999));
  CHECK(site.act(milliseconds(3000)) == std::vector<std::string>{"send north"});
  site.reply(milliseconds(3020), 1, pdu("03 02 22 22"));
  (void)site.act(milliseconds(3020));
  CHECK(site.memory->registers(site.word(10), 1)[0] == 0x2222);
}

TEST_CASE("an echo is no answer, not even where a good answer looks the same") {
  Site site({R"(name = "w", slave = "a", fc = 6, at = 2, from = "%MW20", every = "1s")"});
  (void)site.act({});
  // eight characters at 19200 8E1 take 4.6 ms: what came before was not answered by anybody
  site.master->receive(milliseconds(4), 0, site.sent);
  (void)site.act(milliseconds(5));
  CHECK(site.records.empty());
  CHECK(site.odd() == 1);
  CHECK(site.odd(Oddity::echo) == 1);
  site.master->receive(milliseconds(30), 0, site.sent);
  (void)site.act_until(milliseconds(60));
  REQUIRE(site.records.size() == 1);
  CHECK(site.records[0].outcome == Outcome::good);
}

TEST_CASE("a refused connection is tried again, later and later, and its requests are dropped") {
  Site site(
      {R"(name = "in", slave = "t", fc = 3, at = 0, count = 1, into = "%MW10", every = "50ms")"});
  std::vector<Duration> attempts;
  for (Duration now{}; now < seconds(30); now += milliseconds(10)) {
    for (const std::string& action : site.act(now)) {
      REQUIRE(action == "connect t");
      attempts.push_back(now);
      site.master->refused(now, 1);
    }
  }
  REQUIRE(attempts.size() > 6);
  // 0.1 s, 0.2 s ... and never more than 5 s and one period
  CHECK(attempts[1] - attempts[0] >= milliseconds(100));
  CHECK(attempts[2] - attempts[1] >= milliseconds(200));
  CHECK(attempts[4] - attempts[3] >= milliseconds(800));
  for (std::size_t i = 1; i < attempts.size(); ++i) {
    CHECK(attempts[i] - attempts[i - 1] <= milliseconds(5060));
  }
  for (const RequestRecord& record : site.records) {
    CHECK(record.outcome == Outcome::dropped);
    CHECK(record.tries == 0);
  }
  // and then it is there
  Duration now = seconds(40);
  std::vector<std::string> actions = site.act(now);
  CHECK(actions == std::vector<std::string>{"connect t"});
  site.master->connected(now, 1);
  CHECK(site.act(now) == std::vector<std::string>{"send t"});
  site.reply(now + milliseconds(6), 255, pdu("03 02 00 09"), 1);
  (void)site.act(now + milliseconds(6));
  CHECK(site.records.back().outcome == Outcome::good);
}

TEST_CASE("a connection that is lost fails what was under way, and is opened for the next") {
  Site site(
      {R"(name = "in", slave = "t", fc = 3, at = 0, count = 1, into = "%MW10", every = "100ms")"});
  CHECK(site.act({}) == std::vector<std::string>{"connect t"});
  site.master->connected(milliseconds(1), 1);
  CHECK(site.act(milliseconds(1)) == std::vector<std::string>{"send t"});
  site.master->closed(milliseconds(5), 1);
  (void)site.act(milliseconds(5));
  REQUIRE(site.records.size() == 1);
  CHECK(site.records[0].outcome == Outcome::bad);
  CHECK(site.records[0].tries == 1);
  CHECK(site.act(milliseconds(100)) == std::vector<std::string>{"connect t"});
}

TEST_CASE("a stream that makes no sense closes the connection") {
  Site site(
      {R"(name = "in", slave = "t", fc = 3, at = 0, count = 1, into = "%MW10", every = "1s")"});
  (void)site.act({});
  site.master->connected({}, 1);
  (void)site.act({});
  site.master->receive(milliseconds(5), 1, pdu("00 01 00 05 00 03 FF 03 02"));
  CHECK(site.act(milliseconds(5)) == std::vector<std::string>{"close t"});
  REQUIRE(site.records.size() == 1);
  CHECK(site.records[0].outcome == Outcome::bad);
  CHECK(site.odd(Oddity::bad_protocol) == 1);
}

TEST_CASE("TCP numbers begin where they are told to, count up, and go round") {
  MasterOptions options;
  options.first_number = 0xFFFE;
  Site site(
      {R"(name = "in", slave = "t", fc = 3, at = 0, count = 1, into = "%MW10", every = "100ms")"},
      options);
  (void)site.act({});
  site.master->connected({}, 1);
  std::vector<std::uint16_t> numbers;
  for (int i = 0; i < 4; ++i) {
    const Duration now = milliseconds(100 * i);
    CHECK(site.act(now) == std::vector<std::string>{"send t"});
    numbers.push_back(site.number());
    site.reply(now + milliseconds(5), 255, pdu("03 02 00 09"), 1);
    (void)site.act(now + milliseconds(5));
  }
  CHECK(numbers == std::vector<std::uint16_t>{0xFFFE, 0xFFFF, 0, 1});
  CHECK(site.records.back().outcome == Outcome::good);
}

TEST_CASE("an answer that is older than its question is none, on TCP and on a line") {
  Site tcp(
      {R"(name = "in", slave = "t", fc = 3, at = 0, count = 1, into = "%MW10", every = "1s")"});
  (void)tcp.act({});
  tcp.master->connected(milliseconds(1), 1);
  // sent before anything was asked, with the number that comes first: what had waited in the
  // connection when the question went out is told as older
  const auto guess = *modbus::encode_frame({255, 1, pdu("03 02 66 66")}, modbus::Framing::tcp);
  tcp.master->receive(milliseconds(1) - Duration(1), 1, guess);
  CHECK(tcp.act(milliseconds(1)) == std::vector<std::string>{"send t"});
  (void)tcp.act(milliseconds(2));
  CHECK(tcp.odd(Oddity::too_early) == 1);
  for (const RequestRecord& record : tcp.records) CHECK(record.outcome != Outcome::good);
  CHECK(tcp.memory->registers(tcp.word(10), 1)[0] == 0);
  for (const RequestRecord& record : tcp.records) CHECK(record.outcome != Outcome::good);
  // on a line: before the last character of the request can have gone out
  Site line(
      {R"(name = "q", slave = "a", fc = 3, at = 20, count = 1, into = "%MW20", every = "1s")"});
  (void)line.act({});
  line.reply(milliseconds(2), 1, pdu("03 02 66 66"));  // the request takes 4.6 ms
  (void)line.act(milliseconds(3));
  CHECK(line.odd(Oddity::too_early) == 1);
  CHECK(line.memory->registers(line.word(20), 1)[0] == 0);
}

TEST_CASE(
    "an answer that begins as soon as the request can be out is one: clocks agree to a tenth") {
  // 8 bytes of 11 bits at 19,200 baud
  const Duration takes(8LL * 11 * 1'000'000'000 / 19'200);
  for (const auto& [share, good] :
       std::vector<std::pair<int, bool>>{{85, false}, {95, true}, {102, true}, {108, true}}) {
    Site line(
        {R"(name = "q", slave = "a", fc = 3, at = 20, count = 1, into = "%MW20", every = "1s")"});
    (void)line.act({});
    const Duration at = takes * share / 100;
    line.reply(at, 1, pdu("03 02 66 66"));
    (void)line.act(at + milliseconds(30));
    INFO(share);
    CHECK((line.memory->registers(line.word(20), 1)[0] == 0x6666) == good);
    CHECK(line.odd(Oddity::too_early) == (good ? 0 : 1));
  }
}

TEST_CASE("what has no place in memory is read, counted, and put nowhere") {
  // its two words end beyond the area
  Site site(
      {R"(name = "x", slave = "a", fc = 3, at = 0, count = 2, into = "%MW999", every = "1s")"});
  CHECK(site.act({}) == std::vector<std::string>{"send north"});
  site.reply(answered_in, 1, pdu("03 04 11 11 22 22"));
  (void)site.act(answered_in);
  (void)site.act(milliseconds(500));
  REQUIRE(site.records.size() == 1);
  CHECK(site.records[0].outcome == Outcome::good);
  CHECK(site.memory->registers(site.word(999), 1)[0] == 0);
}

TEST_CASE("a value of one register is never turned round, wherever it lies in its block") {
  std::string head = plan_head;
  head.replace(head.find("word_order = \"CDAB\""), 19, "word_order = \"BADC\"");
  Site site(
      {R"(name = "x", slave = "a", fc = 3, at = 0, count = 3, into = "%MW10", every = "1s", swap = "ABCD")"},
      {}, head);
  (void)site.act({});
  site.reply(answered_in, 1, pdu("03 06 48 41 00 00 12 34"));
  (void)site.act(answered_in);
  const std::vector<std::uint16_t> wanted{0x4148, 0, 0x1234};
  for (std::int64_t w = 0; w < 3; ++w) {
    CHECK(site.memory->registers(site.word(10 + w), 1)[0] == wanted[static_cast<std::size_t>(w)]);
  }
}

TEST_CASE("replies with a wrong unit, function, length or number are named and not taken") {
  struct Row {
    std::uint8_t unit;
    const char* reply;
    int number_off;
    Oddity oddity;
  };
  for (const Row& row : {Row{254, "03 02 00 09", 0, Oddity::wrong_unit},
                         Row{255, "04 02 00 09", 0, Oddity::wrong_function},
                         Row{255, "03 04 00 09 00 09", 0, Oddity::wrong_length},
                         Row{255, "03 02 00", 0, Oddity::wrong_length},
                         Row{255, "03 02 00 09", 1, Oddity::wrong_transaction}}) {
    Site site(
        {R"(name = "in", slave = "t", fc = 3, at = 0, count = 1, into = "%MW10", every = "1s")"});
    (void)site.act({});
    site.master->connected({}, 1);
    (void)site.act({});
    const auto number = static_cast<std::uint16_t>(site.number() + row.number_off);
    site.master->receive(
        milliseconds(5), 1,
        *modbus::encode_frame({row.unit, number, pdu(row.reply)}, modbus::Framing::tcp));
    (void)site.act(milliseconds(5));
    INFO(to_string(row.oddity));
    CHECK(site.odd() == 1);
    CHECK(site.odd(row.oddity) == 1);
    CHECK(site.records.empty());
    CHECK_FALSE(site.memory->known(site.word(10)));
    // the right one still counts
    site.reply(milliseconds(9), 255, pdu("03 02 00 09"), 1);
    (void)site.act(milliseconds(9));
    REQUIRE(site.records.size() == 1);
    CHECK(site.records[0].outcome == Outcome::good);
  }
}

TEST_CASE("status bits tell how a transaction went, and on_loss = zero clears what it filled") {
  Site site(
      {std::string(read_x) +
       ", on_loss = \"zero\", status = { busy = \"%MX1\", done = \"%MX2\", failed = \"%MX3\", "
       "exception = \"%MW90\" }"});
  const auto bit = [&](std::uint64_t n) { return site.memory->bit(1, n); };
  (void)site.act({});
  CHECK(bit(1));
  site.reply(answered_in, 1, pdu("03 04 00 01 00 02"));
  (void)site.act_until(milliseconds(50));
  CHECK_FALSE(bit(1));
  CHECK(bit(2));
  CHECK_FALSE(bit(3));
  CHECK(site.memory->registers(site.word(11), 1)[0] == 2);
  (void)site.act(seconds(1));
  site.reply(seconds(1) + answered_in, 1, pdu("83 02"));
  (void)site.act(seconds(1) + milliseconds(50));
  CHECK(bit(3));
  CHECK_FALSE(bit(2));
  CHECK(site.memory->registers(site.word(90), 1)[0] == 2);
  CHECK(site.memory->registers(site.word(11), 1)[0] == 0);
}

TEST_CASE("one lost request does not make alike ones fail for ever") {
  Site site(
      {R"(name = "p", slave = "a", fc = 3, at = 10, count = 1, into = "%MW10", every = "200ms")",
       R"(name = "q", slave = "a", fc = 3, at = 20, count = 1, into = "%MW20", every = "200ms", phase = "50ms")"});
  // p is never answered, q at once: one lost request must not make q fail for ever
  std::uint64_t good = 0;
  for (Duration now{}; now < seconds(20); now += milliseconds(1)) {
    for (const std::string& action : site.act(now)) {
      REQUIRE(action == "send north");
      const bool lost = now < milliseconds(150);
      if (!lost) site.reply(now + milliseconds(12), 1, pdu("03 02 22 22"));
    }
  }
  for (const RequestRecord& record : site.records) {
    if (record.outcome == Outcome::good && record.end > seconds(5)) ++good;
  }
  CHECK(good == 150);  // ten a second
}

TEST_CASE("a continuous transaction that may not be sent does not spin") {
  Site site(
      {R"(name = "c", slave = "a", fc = 3, at = 0, count = 1, into = "%MW10", every = "continuous", only_if = "%MX5")"});
  CHECK(site.act({}).empty());
  CHECK(site.master->next_wake() == milliseconds(10));
  site.memory->set_bit(1, 5, true);
  CHECK(site.act(milliseconds(10)) == std::vector<std::string>{"send north"});
}

TEST_CASE("a parked slave is tried again at a scan where requests go out at scans") {
  std::string head = plan_head;
  const auto after = [&head](std::string_view words, std::string_view more) {
    head.insert(head.find(words) + words.size(), more);
  };
  after("scan = \"10ms\"\n", "sends = \"scan\"\n");
  after("timeout = \"100ms\"\n", "retries = 0\npark = { after = 1, retry = \"333ms\" }\n");
  Site site(
      {R"(name = "c", slave = "a", fc = 3, at = 0, count = 1, into = "%MW10", every = "continuous")"},
      {}, head);
  CHECK(site.act({}).size() == 1);
  std::vector<std::int64_t> sent_at;
  for (const std::string& action : site.act_until(seconds(5))) {
    if (action.find("send") == std::string::npos) continue;
    const double at = std::stod(action);
    CHECK(std::fmod(at, 10.0) == 0);
    sent_at.push_back(static_cast<std::int64_t>(at));
  }
  // some 100 ms of waiting, 333 ms of parking, and on to the next scan
  CHECK(sent_at.size() == 11);
}

TEST_CASE("what would have been tried again when all ends is unfinished, and clears nothing") {
  Site site(
      {R"(name = "i", slave = "a", fc = 3, at = 0, count = 1, into = "%MW10", every = "1s", on_loss = "zero", status = { failed = "%MX3" })"});
  const BitSequence into = site.word(10);
  site.memory->put_registers(into, {77});
  CHECK(site.act({}).size() == 1);
  site.master->stop();
  CHECK(site.act({}).empty());
  (void)site.act_until(seconds(1));
  REQUIRE(site.records.size() == 1);
  CHECK(site.records[0].outcome == Outcome::unfinished);
  CHECK(site.records[0].tries == 1);
  CHECK(site.records[0].replied == site.records[0].end);
  CHECK(site.memory->registers(into, 1)[0] == 77);
}
