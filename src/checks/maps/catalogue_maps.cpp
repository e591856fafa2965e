// The catalogue, family R: register maps.
#include <array>

#include "checks/rules.h"
#include "common/catalogue_families.h"

namespace greymet::checks::internal {

namespace {

constexpr std::array map_rules{
    RuleEntry{RuleCode::R01, Severity::warning, "two values on the same registers",
              "A row was copied and its address kept, or a value is longer than the next address "
              "allows: one of the two reads the other's registers. Bits and words of the same "
              "register are no mistake.",
              R"(point,area,address,type
flow,hr,0,u32
level,hr,1,u16)",
              R"(point,area,address,type
flow,hr,0,u32
level,hr,2,u16)",
              "Look up both addresses and types again.", "", check_maps, Needs::plan},
    RuleEntry{RuleCode::R02, Severity::error, "bools without a bit of their own",
              "A bool in a register needs to say which of the 16 bits it is. Two names for one bit "
              "are a warning: one of them is somewhere else.",
              R"(point,area,address,type,bit
ready,hr,0,bool,)",
              R"(point,area,address,type,bit
ready,hr,0,bool,3)",
              "Write the number in column `bit`, 0 = least significant.", "", check_maps,
              Needs::plan},
    RuleEntry{
        RuleCode::R03, Severity::error, "a range that cannot be",
        "Least above most, a factor of 0, or a range that the type cannot show at all: one of "
        "the cells stands in the wrong column or row.",
        R"(point,area,address,type,factor,min,max
flow,hr,0,u16,0.1,100,0)",
        R"(point,area,address,type,factor,min,max
flow,hr,0,u16,0.1,0,100)",
        "Look the row up again.", "", check_maps, Needs::plan},
    RuleEntry{RuleCode::R04, Severity::warning, "factor that looks upside down",
              "Some manuals say what one raw step is worth, others how many steps make one unit. "
              "Here the factor is what a raw step is worth.",
              R"(point,area,address,type,factor,min,max
flow,hr,0,u16,10,0,4000)",
              R"(point,area,address,type,factor,min,max
flow,hr,0,u16,0.1,0,4000)",
              "Write 1 divided by it.", "", check_maps, Needs::plan},
    RuleEntry{RuleCode::R05, Severity::warning, "heading near to a column's name",
              "Columns of other names are kept and not used. One that is called nearly like ours, "
              "or as other tables call it, was meant to be.",
              R"(point,area,address,type,scale
flow,hr,0,u16,0.1)",
              R"(point,area,address,type,factor
flow,hr,0,u16,0.1)",
              "Write the name of the column that is meant.", ""},
    RuleEntry{RuleCode::R06, Severity::warning, "one map, read in two ways",
              "The same type of device counts the same way wherever it hangs. A note where only "
              "the word orders differ: that can be set at some devices.",
              R"([slave.pump]
map = "gauge.csv"
numbering = "from-1")",
              R"([slave.pump]
map = "gauge.csv"
numbering = "from-0")",
              "Give the odd one out the numbering of the others.", "", check_map_use, Needs::plan},
    RuleEntry{
        RuleCode::R07, Severity::warning, "another map fits better",
        "Nothing that is asked of the slave is in its map, and all of it in another one of "
        "this plan.",
        R"({ name = "in", slave = "pump", fc = 3, at = 4, count = 4, into = "%MW0", every = "1s", on_loss = "hold" })",
        R"({ name = "in", slave = "gauge", fc = 3, at = 4, count = 4, into = "%MW0", every = "1s", on_loss = "hold" })",
        "Name the map of this type of device.", "", check_map_use, Needs::plan},
    RuleEntry{RuleCode::R08, Severity::warning, "a sign for thousands read as a decimal point",
              "Spreadsheets of some countries write 3.600 for three thousand six hundred.",
              R"(point,area,address,type,factor,min,max
speed,hr,0,u16,1,0,3.600)",
              R"(point,area,address,type,factor,min,max
speed,hr,0,u16,1,0,3600)",
              "Write the number without signs for thousands.", "", check_maps, Needs::plan},
    RuleEntry{RuleCode::R09,
              Severity::note,
              "a map that begins at 1, counted from 0",
              "Where the plan does not say how a manual counts, 0 is taken for the first register. "
              "A table in which no area has an address 0 was mostly counted from 1: then every "
              "request reads its neighbour.",
              R"(point,area,address,type
speed,hr,1,u16
flow,hr,2,u16)",
              R"(point,area,address,type
speed,hr,0,u16
flow,hr,1,u16)",
              "Say numbering = \"from-1\" or \"from-0\" at the slave.",
              "",
              check_map_use,
              Needs::plan,
              {RuleCode::R06}},
};

}  // namespace

std::span<const RuleEntry> maps_entries() {
  return map_rules;
}

}  // namespace greymet::checks::internal
