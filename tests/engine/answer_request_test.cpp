// Whoever answers, held against the examples of V1.1b3, section 6, and its order of refusals.
#include <map>
#include <set>

#include <catch2/catch.hpp>

#include "engine/register_image.h"
#include "hex_bytes.h"

using namespace greymet;
using namespace greymet::engine;
using model::Area;

namespace {

// All addresses from 0 to 2000, but a hole at 900; 700 can only be read.
class SmallImage final : public RegisterImage {
 public:
  [[nodiscard]] bool has(Area, std::uint32_t offset, std::uint32_t count,
                         bool to_write) const override {
    if (to_write && offset <= 700 && 700 < offset + count) return false;
    return offset + count <= 2001 && !(offset <= 900 && 900 < offset + count);
  }
  // 1000 is written one register at a time
  [[nodiscard]] bool takes(model::FunctionCode function, Area, std::uint32_t offset,
                           std::uint32_t count) const override {
    const bool restricted = offset <= 1000 && 1000 < offset + count;
    return !restricted || function == model::FunctionCode::write_single_register;
  }
  [[nodiscard]] std::uint16_t word(Area area, std::uint32_t offset) const override {
    const auto at = words.find({area, offset});
    return at == words.end() ? std::uint16_t{0} : at->second;
  }
  [[nodiscard]] bool bit(Area area, std::uint32_t offset) const override {
    return bits.contains({area, offset});
  }
  void set_word(std::uint32_t offset, std::uint16_t value) override {
    words[{Area::holding_register, offset}] = value;
  }
  void set_bit(std::uint32_t offset, bool value) override {
    if (value) bits.insert({Area::coil, offset});
    if (!value) bits.erase({Area::coil, offset});
  }
  void fill_bits(Area area, std::uint32_t offset, const std::vector<unsigned>& bytes) {
    for (std::size_t i = 0; i < 8 * bytes.size(); ++i) {
      if ((bytes[i / 8] >> (i % 8) & 1U) != 0) {
        bits.insert({area, offset + static_cast<std::uint32_t>(i)});
      }
    }
  }

  std::map<std::pair<Area, std::uint32_t>, std::uint16_t> words;
  std::set<std::pair<Area, std::uint32_t>> bits;
};

std::string answered(SmallImage& image, const std::string& request,
                     const AnswerLimits& limits = {}) {
  AnswerCounters counters;
  const auto reply = answer_request(*modbus::from_hex(request), image, limits, counters);
  return reply ? modbus::to_hex(*reply) : "nothing";
}

AnswerLimits on_line() {
  AnswerLimits limits;
  limits.on_line = true;
  limits.name = "Gauge";
  return limits;
}

}  // namespace

TEST_CASE("requests of the standard get the answers of the standard") {
  SmallImage image;
  image.fill_bits(Area::coil, 0x13, {0xCD, 0x6B, 0x05});
  CHECK(answered(image, "01 00 13 00 13") == "01 03 CD 6B 05");
  image.fill_bits(Area::discrete_input, 0xC4, {0xAC, 0xDB, 0x35});
  CHECK(answered(image, "02 00 C4 00 16") == "02 03 AC DB 35");
  image.set_word(0x6B, 0x022B);
  image.set_word(0x6D, 0x0064);
  CHECK(answered(image, "03 00 6B 00 03") == "03 06 02 2B 00 00 00 64");
  image.words[{Area::input_register, 8}] = 0x000A;
  CHECK(answered(image, "04 00 08 00 01") == "04 02 00 0A");
  CHECK(answered(image, "05 00 AC FF 00") == "05 00 AC FF 00");
  CHECK(image.bit(Area::coil, 0xAC));
  CHECK(answered(image, "05 00 AC 00 00") == "05 00 AC 00 00");
  CHECK_FALSE(image.bit(Area::coil, 0xAC));
  CHECK(answered(image, "06 00 01 00 03") == "06 00 01 00 03");
  CHECK(image.word(Area::holding_register, 1) == 3);
  CHECK(answered(image, "0F 00 13 00 0A 02 CD 01") == "0F 00 13 00 0A");
  CHECK(answered(image, "01 00 13 00 0A") == "01 02 CD 01");
  CHECK(answered(image, "10 00 01 00 02 04 00 0A 01 02") == "10 00 01 00 02");
  CHECK(image.word(Area::holding_register, 2) == 0x0102);
  image.set_word(4, 0x12);
  CHECK(answered(image, "16 00 04 00 F2 00 25") == "16 00 04 00 F2 00 25");
  CHECK(image.word(Area::holding_register, 4) == 0x17);
  const std::vector<std::uint16_t> read{0x00FE, 0x0ACD, 0x0001, 0x0003, 0x000D, 0x00FF};
  for (std::uint32_t i = 0; i < read.size(); ++i) image.set_word(3 + i, read[i]);
  CHECK(answered(image, "17 00 03 00 06 00 0E 00 03 06 00 FF 00 FF 00 FF") ==
        "17 0C 00 FE 0A CD 00 01 00 03 00 0D 00 FF");
  CHECK(image.word(Area::holding_register, 0x10) == 0xFF);
  image.set_word(0x4DE, 2);
  image.set_word(0x4DF, 0x01B8);
  image.set_word(0x4E0, 0x1284);
  CHECK(answered(image, "18 04 DE") == "18 00 06 00 02 01 B8 12 84");
}

TEST_CASE("function 23 writes before it reads") {
  SmallImage image;
  CHECK(answered(image, "17 00 0A 00 01 00 0A 00 01 02 12 34") == "17 02 12 34");
}

TEST_CASE("a refusal names function, quantity and address, in this order") {
  SmallImage image;
  AnswerLimits limits;
  limits.accepts.functions = std::vector<std::int64_t>{3, 16};
  limits.accepts.most_read = 10;
  CHECK(answered(image, "04 FF FF FF FF", limits) == "84 01");
  CHECK(answered(image, "2B 0E 01 00", limits) == "AB 01");
  CHECK(answered(image, "63 00", {}) == "E3 01");
  // eleven registers over a hole: the quantity first
  CHECK(answered(image, "03 03 80 00 0B", limits) == "83 03");
  CHECK(answered(image, "03 03 80 00 0A", limits) == "83 02");
  CHECK(answered(image, "03 00 00 00 00", limits) == "83 03");
  CHECK(answered(image, "03 00 00 00 7E") == "83 03");
  CHECK(answered(image, "03 FF FF 00 02") == "83 02");
  CHECK(answered(image, "03 00 00 01", limits) == "83 03");
  CHECK(answered(image, "05 00 01 12 34") == "85 03");
  CHECK(answered(image, "06 02 BC 00 01") == "86 02");
  CHECK(answered(image, "03 02 BC 00 01") == "03 02 00 00");
  CHECK(answered(image, "10 00 00 00 02 03 00 01 02") == "90 03");
  CHECK(answered(image, "") == "nothing");
}

TEST_CASE("a function that a register does not take is refused as one, and reading is not") {
  SmallImage image;
  CHECK(answered(image, "06 03 E8 00 07") == "06 03 E8 00 07");
  CHECK(answered(image, "10 03 E7 00 02 04 00 01 00 02") == "90 01");
  CHECK(answered(image, "16 03 E8 00 00 00 01") == "96 01");
  CHECK(answered(image, "17 00 00 00 01 03 E8 00 01 02 12 34") == "97 01");
  CHECK(answered(image, "17 03 E8 00 01 00 0A 00 01 02 12 34") == "17 02 00 07");
  CHECK(answered(image, "03 03 E8 00 01") == "03 02 00 07");
}

TEST_CASE("a refused write changes nothing") {
  SmallImage image;
  CHECK(answered(image, "10 02 BB 00 02 04 00 01 00 02") == "90 02");
  CHECK(image.words.empty());
  CHECK(answered(image, "17 03 84 00 01 00 0A 00 01 02 12 34") == "97 02");
  CHECK(image.words.empty());
}

TEST_CASE("diagnostics, identification and queues") {
  SmallImage image;
  CHECK(answered(image, "08 00 00 A5 37", on_line()) == "08 00 00 A5 37");
  CHECK(answered(image, "08 00 00 A5 37") == "88 01");  // not on TCP
  CHECK(answered(image, "07", on_line()) == "07 00");
  CHECK(answered(image, "07") == "87 01");
  // the diagnostic register, and what cannot go wrong in memory: checksums, refusals to be busy
  for (const char* sub : {"02", "0C", "10", "11", "12"}) {
    const std::string ask = std::string("08 00 ") + sub + " 00 00";
    CHECK(answered(image, ask, on_line()) == ask);
  }
  CHECK(answered(image, "08 00 07 00 00", on_line()) == "88 01");
  CHECK(answered(image, "08 00 0B 00 01", on_line()) == "88 03");
  CHECK(answered(image, "2B 0E 04 01", on_line()) == "2B 0E 04 81 00 00 01 01 05 47 61 75 67 65");
  CHECK(answered(image, "2B 0E 04 09", on_line()) == "AB 02");
  CHECK(answered(image, "2B 0D 01 00", on_line()) == "AB 01");
  image.set_word(100, 32);
  CHECK(answered(image, "18 00 64") == "98 03");
  image.set_word(899, 1);  // the queue would run into the hole
  CHECK(answered(image, "18 03 83") == "98 02");
}

TEST_CASE("counters count, and a listener stays silent until it is restarted") {
  SmallImage image;
  AnswerCounters counters;
  const auto ask = [&](const std::string& request) {
    const auto reply = answer_request(*modbus::from_hex(request), image, on_line(), counters);
    return reply ? modbus::to_hex(*reply) : "nothing";
  };
  CHECK(ask("03 00 00 00 01") == "03 02 00 00");
  CHECK(ask("03 FF FF 00 02") == "83 02");
  CHECK(ask("08 00 0D 00 00") == "08 00 0D 00 01");  // refusals
  CHECK(ask("08 00 0E 00 00") == "08 00 0E 00 04");  // requests to it, this one too
  CHECK(ask("08 00 04 00 00") == "nothing");
  CHECK(ask("03 00 00 00 01") == "nothing");
  CHECK(ask("06 00 01 00 07") == "nothing");
  CHECK(image.words.empty());
  CHECK(ask("08 00 01 00 00") == "nothing");
  CHECK(ask("03 00 00 00 01") == "03 02 00 00");
}
