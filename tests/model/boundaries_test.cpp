// Rounding to what recurs, against counting step by step.
#include "model/boundaries.h"

#include <catch2/catch.hpp>

using namespace greymet::model;

TEST_CASE("boundaries before and after a time, wherever they begin") {
  for (std::int64_t step = 1; step <= 7; ++step) {
    for (std::int64_t offset = -9; offset <= 9; ++offset) {
      for (std::int64_t t = -20; t <= 20; ++t) {
        std::int64_t until = t;
        while ((until - offset) % step != 0) --until;
        std::int64_t from = t;
        while ((from - offset) % step != 0) ++from;
        INFO(step << " " << offset << " " << t);
        CHECK(boundary_until(Duration(t), Duration(step), Duration(offset)) == Duration(until));
        CHECK(boundary_from(Duration(t), Duration(step), Duration(offset)) == Duration(from));
      }
    }
  }
  CHECK(boundary_until(Duration(7), Duration(0), Duration(3)) == Duration(7));
  CHECK(boundary_from(Duration(7), Duration(-1)) == Duration(7));
  CHECK(rounded_down(Duration(19), Duration(10)) == Duration(10));
  CHECK(rounded_up(Duration(11), Duration(10)) == Duration(20));
  CHECK(rounded_up(Duration(20), Duration(10)) == Duration(20));
}
