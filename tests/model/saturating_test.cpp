// Times that cannot go round, against arithmetic that is wide enough.
#include "model/strong.h"

#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

using greymet::model::Duration;
using greymet::model::Saturating;

namespace {

constexpr std::int64_t most = Saturating::most;

__extension__ using Wide = __int128;

std::int64_t within(Wide exact) {
  return exact > most ? most : exact < -most ? -most : static_cast<std::int64_t>(exact);
}

// Small ones, and those near the ends of the range and of its root.
std::int64_t any_number() {
  const auto near = *rc::gen::element<std::int64_t>(0, most, -most, std::int64_t{1} << 31);
  return within(Wide{near} + *rc::gen::inRange<std::int64_t>(-1000, 1000));
}

}  // namespace

TEST_CASE("sums and products stay at their ends") {
  rc::prop("as computed with 128 bits", [] {
    const std::int64_t a = any_number();
    const std::int64_t b = any_number();
    const Saturating x(a);
    const Saturating y(b);
    RC_ASSERT(std::int64_t{x + y} == within(Wide{a} + b));
    RC_ASSERT(std::int64_t{x - y} == within(Wide{a} - b));
    RC_ASSERT(std::int64_t{x * y} == within(Wide{a} * b));
    RC_ASSERT(std::int64_t{x * b} == within(Wide{a} * b));
    RC_ASSERT(std::int64_t{a + y} == within(Wide{a} + b));
    RC_ASSERT((x < y) == (a < b));
    if (b != 0) {
      RC_ASSERT(std::int64_t{x / y} == a / b);
      RC_ASSERT(std::int64_t{x % y} == a % b);
    }
    // as times
    RC_ASSERT(std::int64_t{(Duration(a) + Duration(b)).count()} == within(Wide{a} + b));
    RC_ASSERT(std::int64_t{(3 * Duration(a)).count()} == within(Wide{a} * 3));
  });
  CHECK(Duration::max() + Duration::max() == Duration::max());
  CHECK(Duration::min() - Duration::max() == Duration::min());
  CHECK(1000 * Duration(std::chrono::hours(744)) > Duration(std::chrono::hours(744 * 999)));
  CHECK(1'000'000 * Duration(std::chrono::hours(744)) == Duration::max());
  CHECK(Duration(std::chrono::hours(std::int64_t{1} << 40)) == Duration::max());
  CHECK(std::int64_t{Saturating(1e300)} == most);
  CHECK(std::int64_t{Saturating(-1e300)} == -most);
  CHECK(std::int64_t{Saturating(2.75)} == 2);
}
