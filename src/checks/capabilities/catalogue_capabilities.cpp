// The catalogue, family C: what the controller can do.
#include <array>

#include "checks/rules.h"
#include "common/catalogue_families.h"

namespace greymet::checks::internal {

namespace {

constexpr std::array capabilities_rules{
    RuleEntry{RuleCode::C01, Severity::error, "protocol that the controller does not have",
              "The configuration is refused at the download, or the port stays silent.",
              R"([controller.kiln]
model = "small.toml"
{ name = "a", slave = "air", controller = "kiln", fc = 3, at = 0, count = 2, into = "%MW0", every = "1s", on_loss = "hold" })",
              R"([controller.kiln]
model = "small.toml"
{ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" })",
              "A controller of the series that has it, or another way to the slaves.", "",
              check_capabilities, Needs::plan},
    RuleEntry{RuleCode::C02, Severity::error, "more than the controller can hold",
              "Transactions beyond the limit are refused at the download.",
              R"([controller.kiln]
model = "small.toml"
{ name = "in10", slave = "gauge", fc = 3, at = 10, count = 1, into = "%MW10", every = "1s", on_loss = "hold" }
{ name = "in11", slave = "gauge", fc = 3, at = 11, count = 1, into = "%MW11", every = "1s", on_loss = "hold" }
{ name = "in12", slave = "gauge", fc = 3, at = 12, count = 1, into = "%MW12", every = "1s", on_loss = "hold" }
{ name = "in13", slave = "gauge", fc = 3, at = 13, count = 1, into = "%MW13", every = "1s", on_loss = "hold" })",
              R"([controller.kiln]
model = "small.toml"
{ name = "in", slave = "gauge", fc = 3, at = 10, count = 4, into = "%MW10", every = "1s", on_loss = "hold" })",
              "Join neighbouring registers into one request.", "", check_capabilities, Needs::plan},
    RuleEntry{RuleCode::C03, Severity::error, "period below the controller's smallest",
              "The controller refuses it, or runs it more slowly without a word.",
              R"([controller.kiln]
model = "small.toml"
{ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "100ms", on_loss = "hold" })",
              R"([controller.kiln]
model = "small.toml"
{ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" })",
              "The model's smallest period, or more.", "", check_capabilities, Needs::plan},
};

}  // namespace

std::span<const RuleEntry> capabilities_entries() {
  return capabilities_rules;
}

}  // namespace greymet::checks::internal
