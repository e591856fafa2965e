// The catalogue, family V: both ends of every value.
#include <array>

#include "checks/rules.h"
#include "common/catalogue_families.h"

namespace greymet::checks::internal {

namespace {

constexpr RuleCodes causes_on_the_way{RuleCode::F01, RuleCode::F02, RuleCode::F06, RuleCode::F10,
                                      RuleCode::F12, RuleCode::F13, RuleCode::M03, RuleCode::M07,
                                      RuleCode::M11, RuleCode::R07, RuleCode::N12, RuleCode::V09};

constexpr RuleCodes sent_otherwise{RuleCode::F01, RuleCode::F02, RuleCode::F06, RuleCode::F10,
                                   RuleCode::F12, RuleCode::F13, RuleCode::M02, RuleCode::M03,
                                   RuleCode::M07, RuleCode::R07, RuleCode::V09};

constexpr std::array tag_rules{
    RuleEntry{
        RuleCode::V01, Severity::error, "a value does not arrive where the program looks for it",
        "The program reads its variable at one address, the exchange puts the value at another, or "
        "nowhere: the program then works with a neighbour's value or with zero, and no other rule "
        "can see it. Where all values of a block lie off by as much, the block is named once.",
        R"([controller.kiln]
tags = "tags.csv"
{ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW101", every = "1s", on_loss = "hold" }

tag,address,type,from
moisture,%MW100,REAL,gauge.moisture
temp,%MW102,REAL,gauge.temp)",
        R"([controller.kiln]
tags = "tags.csv"
{ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW100", every = "1s", on_loss = "hold" }

tag,address,type,from
moisture,%MW100,REAL,gauge.moisture
temp,%MW102,REAL,gauge.temp)",
        "Move the block, or correct the address in the table, whichever is wrong.", "", check_tags,
        Needs::plan, causes_on_the_way},
    RuleEntry{
        RuleCode::V02, Severity::error, "a value arrives as something else",
        "Type, width, bit and word order have to be the same at both ends; a float whose words "
        "come in the other order is still a number, only a wrong one. Integers that differ in "
        "their sign alone are a warning where no range says whether it matters.",
        R"([controller.kiln]
tags = "tags.csv"
word_order = "ABCD"
{ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW100", every = "1s", on_loss = "hold" }

tag,address,type,from
moisture,%MW100,REAL,gauge.moisture)",
        R"([controller.kiln]
tags = "tags.csv"
word_order = "ABCD"
{ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW100", every = "1s", on_loss = "hold", swap = "ABCD" }

tag,address,type,from
moisture,%MW100,REAL,gauge.moisture)",
        "Take it in the program for what it is, or say `swap` where the controller or a gateway "
        "swaps the words.",
        "", check_tags, Needs::plan, causes_on_the_way},
    RuleEntry{
        RuleCode::V03, Severity::error, "a tag is not what is sent",
        "The program computes a value for a point, and the exchange sends another word there: the "
        "machine gets a neighbour's value; or something else fills the tag's words before they are "
        "sent.",
        R"([controller.kiln]
tags = "tags.csv"
{ name = "out", slave = "pump", fc = 6, at = 0, from = "%MW101", every = "1s" }

tag,address,type,to
speed_wanted,%MW100,INT,pump.speed)",
        R"([controller.kiln]
tags = "tags.csv"
{ name = "out", slave = "pump", fc = 6, at = 0, from = "%MW100", every = "1s" }

tag,address,type,to
speed_wanted,%MW100,INT,pump.speed)",
        "Send the tag's own words, or correct its address or type.", "", check_tags, Needs::plan,
        sent_otherwise},
    RuleEntry{
        RuleCode::V04, Severity::warning, "scale or unit differ between the ends",
        "Raw values are the same bits at both ends; what they stand for is not, if one end takes a "
        "step for a tenth and the other for a hundredth.",
        R"([controller.kiln]
tags = "tags.csv"
{ name = "in", slave = "pump", fc = 3, at = 0, count = 2, into = "%MW100", every = "1s", on_loss = "hold" }

tag,address,type,from,factor
speed,%MW100,INT,pump.speed,0.01)",
        R"([controller.kiln]
tags = "tags.csv"
{ name = "in", slave = "pump", fc = 3, at = 0, count = 2, into = "%MW100", every = "1s", on_loss = "hold" }

tag,address,type,from,factor
speed,%MW100,INT,pump.speed,0.1)",
        "Correct the end that is wrong.", "", check_tags, Needs::plan, causes_on_the_way},
    RuleEntry{
        RuleCode::V05, Severity::error, "two tags overlap",
        "Whoever writes one of them changes the other. The same bits under two names, bits of "
        "a word and parts of a DWORD are no mistake.",
        R"([controller.kiln]
tags = "tags.csv"

tag,address,type
level,%MW200,REAL
flow,%MW201,INT)",
        R"([controller.kiln]
tags = "tags.csv"

tag,address,type
level,%MW200,REAL
flow,%MW202,INT)",
        "Correct one of the addresses or types.", "", check_tag_memory, Needs::plan},
    RuleEntry{
        RuleCode::V06, Severity::warning, "words that are moved and that no tag names",
        "A value that nobody takes is work for the line; or its tag was forgotten, or stands one "
        "word off. A block of which no word has a tag is a note. Words that a copy takes, that are "
        "passed on, or that a complete map does not list are left out.",
        R"([controller.kiln]
tags = "tags.csv"
{ name = "in", slave = "pump", fc = 3, at = 0, count = 2, into = "%MW100", every = "1s", on_loss = "hold" }

tag,address,type,from
speed,%MW100,INT,pump.speed)",
        R"([controller.kiln]
tags = "tags.csv"
{ name = "in", slave = "pump", fc = 3, at = 0, count = 2, into = "%MW100", every = "1s", on_loss = "hold" }

tag,address,type,from
speed,%MW100,INT,pump.speed
power,%MW101,UINT,pump.power)",
        "Add the tags, read less, or accept it and say why.", "", check_tag_memory, Needs::plan,
        RuleCodes{RuleCode::V01, RuleCode::V03, RuleCode::F10, RuleCode::F13, RuleCode::R07,
                  RuleCode::V09}},
    RuleEntry{
        RuleCode::V07, Severity::warning, "a bit that the program must know is no tag",
        "Triggers, gates and heartbeats are set by the program, status bits are read by it: under "
        "an address that its table does not have, it does neither.",
        R"([controller.kiln]
tags = "tags.csv"
{ name = "in", slave = "pump", fc = 3, at = 0, count = 1, into = "%MW100", on = "%MX40", min_gap = "1s", on_loss = "hold" }

tag,address,type,from
speed,%MW100,INT,pump.speed)",
        R"([controller.kiln]
tags = "tags.csv"
{ name = "in", slave = "pump", fc = 3, at = 0, count = 1, into = "%MW100", on = "%MX40", min_gap = "1s", on_loss = "hold" }

tag,address,type,from
speed,%MW100,INT,pump.speed
read_speed,%MX40,BOOL,)",
        "Add it to the table, or correct the address.", "", check_tag_memory, Needs::plan},
    RuleEntry{
        RuleCode::V08, Severity::error, "a value older than the program can stand",
        "What the program needs fresh within `max_age` has to be that at the end of its whole way, "
        "copies and other controllers included. An error where the simulation shows it older, a "
        "warning where only the bound does not guarantee it.",
        R"([controller.kiln]
tags = "tags.csv"
{ name = "in", slave = "pump", fc = 3, at = 0, count = 1, into = "%MW100", every = "1s", on_loss = "hold" }

tag,address,type,from,max_age
speed,%MW100,INT,pump.speed,500ms)",
        R"([controller.kiln]
tags = "tags.csv"
{ name = "in", slave = "pump", fc = 3, at = 0, count = 1, into = "%MW100", every = "200ms", on_loss = "hold" }

tag,address,type,from,max_age
speed,%MW100,INT,pump.speed,500ms)",
        "A shorter period for the step that takes longest, or a larger max_age.", "",
        check_tag_ages, Needs::timing, RuleCodes{RuleCode::V01, RuleCode::V09}},
    RuleEntry{
        RuleCode::V09, Severity::error, "a request in the place of another",
        "The tags in its memory take other registers than it brings, or mean others than it "
        "writes: another slave, another area, other addresses. Nothing serves them, and one word "
        "in one row is the reason. Of a single tag nobody knows which end is wrong: its cure is a "
        "question.",
        R"([controller.kiln]
tags = "tags.csv"
{ name = "in", slave = "pump", fc = 3, at = 0, count = 4, into = "%MW100", every = "1s", on_loss = "hold" }

tag,address,type,from
moisture,%MW100,REAL,gauge.moisture
temp,%MW102,REAL,gauge.temp)",
        R"([controller.kiln]
tags = "tags.csv"
{ name = "in", slave = "gauge", fc = 3, at = 0, count = 4, into = "%MW100", every = "1s", on_loss = "hold" }

tag,address,type,from
moisture,%MW100,REAL,gauge.moisture
temp,%MW102,REAL,gauge.temp)",
        "Correct the slave, the function or the address of the request, whichever is wrong.", "",
        check_tags, Needs::plan,
        RuleCodes{RuleCode::F10, RuleCode::F13, RuleCode::F02, RuleCode::F06, RuleCode::R07,
                  RuleCode::N12}},
};

}  // namespace

std::span<const RuleEntry> tags_entries() {
  return tag_rules;
}

}  // namespace greymet::checks::internal
