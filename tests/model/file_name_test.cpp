#include "model/file_name.h"

#include <algorithm>
#include <set>

#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include "model/text_slips.h"

using namespace greymet;
using model::file_name_of;
using model::file_names_of;

TEST_CASE("names of things become names of files that every system can store") {
  CHECK(file_name_of("kiln 1 / north") == "kiln-1-north");
  CHECK(file_name_of("../../etc/passwd") == "etc-passwd");
  CHECK(file_name_of("\xE2\x80\xAE...").starts_with("thing-"));
  CHECK(file_name_of("泵一") != file_name_of("泵二"));
  const std::string longer(200, 'a');
  CHECK(file_name_of(longer).size() == 80);
  CHECK(file_name_of(longer) != file_name_of(longer + "b"));
  CHECK(file_name_of(std::string(80, 'a')) == std::string(80, 'a'));
  for (const char* device : {"CON", "aux", "Prn", "nul", "com1", "LPT9", "com0"}) {
    CHECK(file_name_of(device) == std::string(device) + "_");
  }
  for (const char* fine : {"console", "com", "com10", "auxiliary", "lpt"}) {
    CHECK(file_name_of(fine) == fine);
  }
}

TEST_CASE("of names that would be alike only the one that is spelt so keeps it") {
  const auto names = file_names_of({"pump 1", "pump-1", "Pump-1", "fan", "pumpe\xCC\x88", "泵"});
  CHECK(names[1] == "pump-1");
  CHECK(names[0].starts_with("pump-1-"));
  CHECK(names[2].starts_with("Pump-1-"));
  CHECK(names[3] == "fan");
  // whatever their order
  const auto other = file_names_of({"Pump-1", "pump 1", "pump-1"});
  CHECK(other == std::vector<std::string>{names[2], names[0], names[1]});
}

TEST_CASE("no two names of files are alike on any file system") {
  rc::prop("however alike the things are called", [](const std::vector<std::string>& raw) {
    // names over few letters, so that they meet
    std::set<std::string> different;
    for (const std::string& text : raw) {
      std::string name;
      for (const char c : text) name += "aA-_ .1\xC3\xA4"[static_cast<unsigned char>(c) % 9];
      if (!name.empty()) different.insert(name);
    }
    const std::vector<std::string> things(different.begin(), different.end());
    const auto files = file_names_of(things);
    RC_ASSERT(files.size() == things.size());
    std::set<std::string> seen;
    for (const std::string& file : files) {
      RC_ASSERT(!file.empty());
      RC_ASSERT(file.size() <= 100);
      RC_ASSERT(file.find_first_not_of("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ"
                                       "0123456789-_") == std::string::npos);
      RC_ASSERT(seen.insert(model::in_small_letters(file)).second);
    }
  });
}
