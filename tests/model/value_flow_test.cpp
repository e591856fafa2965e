// Where values go: the ways of words and bits through reads, copies and writes, against a slow
// oracle that moves every bit by hand.
#include "model/value_flow.h"

#include <set>

#include <fmt/format.h>
#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include "model/resolved_plan.h"
#include "network_plan.h"
#include "plans.h"

using namespace greymet;
using namespace greymet::model;

namespace {

constexpr std::size_t kiln = 0;
constexpr std::size_t loadout = 1;
constexpr std::size_t air = 3;

// One thing that moves `count` words; the other end is given by `kind`.
struct Move {
  enum Kind { read_slave, write_slave, read_peer, write_peer, copy } kind = copy;
  std::uint64_t from = 0;  // first word at its origin
  std::uint64_t to = 0;
  std::uint64_t count = 1;
};

std::string row_of(std::size_t index, const Move& m) {
  const bool read = m.kind == Move::read_slave || m.kind == Move::read_peer;
  const bool peer = m.kind == Move::read_peer || m.kind == Move::write_peer;
  return fmt::format(
      "{{ name = \"t{}\", slave = \"{}\", controller = \"kiln\", fc = {}, at = {}, count = {}, {} "
      "= "
      "\"%MW{}\", every = \"1s\" }}",
      index, peer ? "loadout" : "air", read ? 3 : 16, read ? m.from : m.to, m.count,
      read ? "into" : "from", read ? m.to : m.from);
}

std::string plan_of(const std::vector<Move>& moves) {
  std::vector<std::string> rows;
  std::string copies = "copies = [\n";
  for (std::size_t i = 0; i < moves.size(); ++i) {
    if (moves[i].kind != Move::copy) rows.push_back(row_of(i, moves[i]));
    if (moves[i].kind == Move::copy) {
      copies += fmt::format(
          "  {{ controller = \"kiln\", from = \"%MW{}\", to = \"%MW{}\", count = {} }},\n",
          moves[i].from, moves[i].to, moves[i].count);
    }
  }
  return test::network_plan(rows, copies + "]\n");
}

// The places that hold each bit of the value after one step, bit by bit.
std::multiset<std::string> oracle(const std::vector<Move>& moves, const ValuePlace& value) {
  std::multiset<std::string> found;
  for (const Move& m : moves) {
    const bool from_memory = m.kind == Move::write_slave || m.kind == Move::write_peer ||
                             m.kind == Move::copy || m.kind == Move::read_peer;
    const std::size_t from_owner = m.kind == Move::read_slave  ? air
                                   : m.kind == Move::read_peer ? loadout
                                                               : kiln;
    if (value.at_controller != from_memory || value.owner != from_owner) continue;
    if (!from_memory && value.area != Area::holding_register) continue;
    std::string bits;
    bool all = true;
    for (std::uint64_t bit = value.bits.first; bit < value.bits.end; ++bit) {
      const std::uint64_t word = bit / 16;
      all = all && word >= m.from && word < m.from + m.count;
      bits += fmt::format(" {}.{}", m.to + word - m.from, bit % 16);
    }
    if (!all) continue;
    const char* owner = m.kind == Move::write_slave  ? "air"
                        : m.kind == Move::write_peer ? "loadout"
                                                     : "kiln";
    found.insert(owner + bits);
  }
  return found;
}

std::multiset<std::string> shown(const std::vector<ValueMove>& moves) {
  std::multiset<std::string> found;
  for (const ValueMove& m : moves) {
    RC_ASSERT(m.to.has_value());
    RC_ASSERT(m.to_controller == m.to->at_controller);
    RC_ASSERT(m.receiver == m.to->owner);
    std::string bits;
    for (std::uint64_t bit = m.to->bits.first; bit < m.to->bits.end; ++bit) {
      bits += fmt::format(" {}.{}", bit / 16, bit % 16);
    }
    found.insert((!m.to_controller ? "air" : m.receiver == loadout ? "loadout" : "kiln") + bits);
  }
  return found;
}

ResolvedPlan resolved(const std::string& plan) {
  return std::move(test::load(plan, test::base_files()).plan);
}

}  // namespace

TEST_CASE("value flow: every move of a whole value is found, and no other") {
  rc::prop("against moving bits by hand", [] {
    std::vector<Move> moves(*rc::gen::inRange<std::size_t>(1, 7));
    for (Move& m : moves) {
      m = {*rc::gen::element(Move::read_slave, Move::write_slave, Move::read_peer, Move::write_peer,
                             Move::copy),
           *rc::gen::inRange<std::uint64_t>(0, 12), *rc::gen::inRange<std::uint64_t>(0, 12),
           *rc::gen::inRange<std::uint64_t>(1, 6)};
    }
    const ResolvedPlan plan = resolved(plan_of(moves));
    RC_ASSERT(plan.transactions.size() + plan.copies.size() == moves.size());
    const std::uint64_t first = *rc::gen::inRange<std::uint64_t>(0, 12 * 16);
    const BitRange bits{0, first, first + *rc::gen::element<std::uint64_t>(1, 8, 16, 32, 48)};
    for (const ValuePlace& value : {memory_place(kiln, bits), memory_place(loadout, bits),
                                    slave_place(air, Area::holding_register, bits),
                                    slave_place(air, Area::input_register, bits)}) {
      RC_ASSERT(shown(plan.flow.moves_of(value)) == oracle(moves, value));
    }
  });
}

TEST_CASE("value flow: a longer range that begins earlier is not overlooked") {
  // the short ranges behind it end before the value does
  const ResolvedPlan plan = resolved(plan_of({{Move::copy, 0, 100, 50},
                                              {Move::copy, 2, 200, 1},
                                              {Move::copy, 4, 300, 1},
                                              {Move::copy, 20, 400, 2}}));
  const auto moves = plan.flow.moves_of(memory_place(kiln, {0, 20 * 16, 21 * 16}));
  REQUIRE(moves.size() == 2);
  CHECK(moves[0].to->bits == BitRange{0, 120 * 16, 121 * 16});
  CHECK(moves[1].to->bits == BitRange{0, 400 * 16, 401 * 16});
  CHECK(plan.flow.moves_of(memory_place(kiln, {0, 49 * 16, 51 * 16})).empty());
}

TEST_CASE("value flow: copies first, then writes, then reads, each in list order") {
  const ResolvedPlan plan = resolved(plan_of({{Move::read_peer, 5, 50, 1},
                                              {Move::write_slave, 5, 9, 1},
                                              {Move::write_peer, 5, 9, 1},
                                              {Move::copy, 5, 60, 1},
                                              {Move::copy, 4, 70, 2}}));
  std::string order;
  for (const ValueMove& m : plan.flow.moves_of(memory_place(kiln, {0, 5 * 16, 6 * 16}))) {
    order += fmt::format("{}{} ", static_cast<int>(m.kind), m.index);
  }
  CHECK(order == "20 21 11 12 ");
  CHECK(plan.flow.moves_of(memory_place(loadout, {0, 80, 96})).size() == 1);
}

TEST_CASE("value flow: coils travel bit by bit, and a word's unused bits stay where they are") {
  // 10 coils fill ten bits of %MW30
  const ResolvedPlan plan = resolved(test::network_plan(
      {"{ name = \"lamps\", slave = \"air\", controller = \"kiln\", fc = 1, at = 20, count = 10, "
       "into = \"%MW30\", every = \"1s\" }",
       "{ name = \"out\", slave = \"air\", controller = \"kiln\", fc = 15, at = 40, count = 10, "
       "from "
       "= \"%MW30\", every = \"1s\" }"}));
  const auto in = plan.flow.moves_of(slave_place(air, Area::coil, {0, 23, 24}));
  REQUIRE(in.size() == 1);
  CHECK(in[0].to == memory_place(kiln, {0, 30 * 16 + 3, 30 * 16 + 4}));
  const auto out = plan.flow.moves_of(*in[0].to);
  REQUIRE(out.size() == 1);
  CHECK(out[0].to == slave_place(air, Area::coil, {0, 43, 44}));
  CHECK(plan.flow.moves_of(memory_place(kiln, {0, 30 * 16 + 9, 30 * 16 + 10})).size() == 1);
  CHECK(plan.flow.moves_of(memory_place(kiln, {0, 30 * 16 + 10, 30 * 16 + 11})).empty());
}

TEST_CASE("value flow: what a peer keeps behind unknown registers is sent, but not followed") {
  const std::string text = test::network_plan(
      {"{ name = \"send\", slave = \"loadout\", controller = \"kiln\", fc = 16, at = 490, count = "
       "20, from = \"%MW0\", every = \"1s\" }"});
  const ResolvedPlan plan = resolved(text);
  const auto moves = plan.flow.moves_of(memory_place(kiln, {0, 0, 16}));
  REQUIRE(moves.size() == 1);
  CHECK(moves[0].to_controller);
  CHECK(moves[0].receiver == loadout);
  CHECK_FALSE(moves[0].to.has_value());
}
