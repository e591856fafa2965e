#include "model/identifier.h"

#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include "model/text_slips.h"

using namespace greymet;
using model::identifier;

TEST_CASE("no identifier is a word that IEC 61131-3 keeps") {
  for (const char* word :
       {"limit", "LIMIT", "dt", "Ctu", "sr", "TON", "r_trig", "time", "ltime", "any_int", "end_var",
        "program", "int_to_real", "bcd_to_int", "REAL_TO_STRING", "trunc", "mux", "wstring"}) {
    INFO(word);
    CHECK(model::is_kept_by_iec(word));
    CHECK(identifier(word) == std::string("v_") + word);
  }
  for (const char* free : {"limits", "set_limit", "valve_to_open", "to_real", "x", "ctu1"}) {
    INFO(free);
    CHECK_FALSE(model::is_kept_by_iec(free));
    CHECK(identifier(free) == free);
  }
}

TEST_CASE("every identifier is one by the standard, and long ones stay different") {
  rc::prop("whatever the name", [](const std::string& name) {
    const std::string id = identifier(name);
    RC_ASSERT(!id.empty());
    RC_ASSERT(id.size() <= 62);
    RC_ASSERT(id.find("__") == std::string::npos);
    RC_ASSERT(!id.ends_with('_'));
    RC_ASSERT((id[0] >= 'A' && id[0] <= 'Z') || (id[0] >= 'a' && id[0] <= 'z'));
    RC_ASSERT(!model::is_kept_by_iec(id));
  });
  const std::string longer(3000, 'a');
  CHECK(identifier(longer).size() == 60);
  CHECK(identifier(longer) != identifier(longer + "b"));
}

TEST_CASE("thousands of equal names are numbered without a search") {
  model::UniqueNames names;
  std::string last;
  for (int i = 0; i < 60'000; ++i) last = names.take("value");
  CHECK(last == "value_60000");
  CHECK(names.take("VALUE_7") == "VALUE_7_2");
}
