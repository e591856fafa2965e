#include "figures/stall_matrix.h"
#include "figures/gnuplot_process.h"

#include <catch2/catch.hpp>

#include "plans.h"

#include "timing/report.h"

using namespace greymet;
using namespace greymet::figures;
using test::replaced;

namespace {

std::string row(const std::string& name, const std::string& slave, const std::string& every) {
  return "{ name = \"" + name + "\", slave = \"" + slave +
         "\", fc = 3, at = 0, count = 2, into = "
         "\"%MW\", every = \"" +
         every + "\" }";
}

std::vector<StallMatrix> matrices(const std::string& plan) {
  const auto loaded = test::load(plan, test::base_files());
  return stall_matrices(loaded.plan, timing::analyse(loaded.plan, {}));
}

// Two tries of 500 ms with 8 characters and t3.5 each (11 bits at 19200 baud): 1013.177 ms.
const std::string two =
    test::with_rows({row("a", "gauge", "1s"), row("b", "gauge", "2s"), row("c", "pump", "1500ms")});

}  // namespace

TEST_CASE("a cell compares the stall with the quickest period of the slave that waits") {
  const auto found = matrices(two);
  REQUIRE(found.size() == 1);
  const StallMatrix& m = found[0];
  CHECK(m.name == "north");
  CHECK(m.rows == std::vector<std::string>{"gauge (2026 ms)", "pump (1013 ms)"});
  CHECK(m.columns == std::vector<std::string>{"gauge, 1s", "pump, 1500ms"});
  REQUIRE(m.cells.size() == 2);  // nobody waits for itself
  CHECK(m.cells[0].row == 0);
  CHECK(m.cells[0].column == 1);
  CHECK(m.cells[0].harm == Harm::every_time);
  CHECK(m.cells[0].periods == Approx(2026.354 / 1500).epsilon(0.001));
  CHECK(m.cells[1].harm == Harm::every_time);
  CHECK(m.cells[1].periods == Approx(1.013177).epsilon(0.001));
}

TEST_CASE("parked slaves only hurt at first") {
  const auto parked = matrices(replaced(
      two, "format = \"8E1\"\n", "format = \"8E1\"\npark = { after = 2, retry = \"9s\" }\n"));
  CHECK(parked[0].rows[0] == "gauge (2026, then 507 ms)");
  CHECK(parked[0].cells[0].harm == Harm::first_only);
  const auto quick =
      matrices(replaced(two, "format = \"8E1\"\n", "format = \"8E1\"\ntimeout = \"100ms\"\n"));
  CHECK(quick[0].cells[0].harm == Harm::none);
  CHECK(matrices(test::with_rows({row("a", "gauge", "1s")})).empty());
}

TEST_CASE("the matrix is drawn in both formats, whatever it holds") {
  for (const StallMatrix& m : {matrices(two)[0], StallMatrix{"l", "t", "s", {"a"}, {"100%"}, {}}}) {
    for (const auto format : {PictureFormat::svg, PictureFormat::png}) {
      CHECK(stall_matrix_script(m, format) == stall_matrix_script(m, format));
      CHECK(render(format, stall_matrix_script(m, format)).has_value());
    }
  }
}
