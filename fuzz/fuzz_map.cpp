// A register map from bytes: points stay inside their area and are found again. The same bytes as
// declarations of a program.
#include "files/declarations.h"
#include "files/map_reader.h"
#include "input.h"

using namespace greymet;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const std::string text = fuzz::text_of(data, size);
  for (const auto numbering :
       {model::Numbering::from_0, model::Numbering::from_1, model::Numbering::reference}) {
    model::Findings findings;
    const auto map =
        files::read_map(text, "m.csv", 0, numbering, {model::SubjectKind::slave, "s"}, findings);
    for (const model::Point& point : map.points()) {
      const model::Extent extent = extent_of(point);
      fuzz::require(extent.end <= model::addresses_per_area && extent.first < extent.end);
      fuzz::require(map.lists(point.address.area, extent.first));
      fuzz::require(map.find(point.name) != nullptr);
    }
  }
  // declarations of a program: every tag lies in an area that was asked for
  model::Findings findings;
  const std::vector<std::string> areas{"%MW", "%MX"};
  for (const bool project : {false, true}) {
    const auto read = project ? files::read_project : files::read_declarations;
    for (const model::Tag& tag : read(text, "p", 0, areas, {}, findings).tags) {
      fuzz::require(tag.address.value.starts_with("%MW") || tag.address.value.starts_with("%MX"));
    }
  }
  return 0;
}
