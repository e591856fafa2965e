// Addresses and memory texts: what reads as an address, written out, reads as the same.
#include "input.h"
#include "model/address_lookup.h"
#include "model/ip_address.h"
#include "model/memory_layout.h"

using namespace greymet;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const std::string text = fuzz::text_of(data, size);
  for (const bool plain : {false, true}) {
    for (const auto numbering :
         {model::Numbering::from_0, model::Numbering::from_1, model::Numbering::reference}) {
      const auto reading = model::read_address({text, plain}, numbering);
      if (!reading || !reading->area || reading->offset >= model::addresses_per_area) continue;
      const model::Address address{*reading->area, {static_cast<std::uint16_t>(reading->offset)}};
      const auto again = model::read_address({to_text(address), false}, numbering);
      fuzz::require(again && again->offset == reading->offset && again->area == reading->area);
    }
  }
  if (const auto answers = model::look_up_address(text, nullptr, "")) {
    fuzz::require(!answers->answers.empty());
  }
  if (model::check_host(text)) fuzz::require(!text.empty());
  model::Controller controller;
  controller.name = "c";
  for (const char* name : {"%MW", "%M", "D"}) {
    model::MemoryArea area;
    area.name = name;
    area.count = 100;
    area.radix = name[0] == 'D' ? 16 : 10;
    controller.memory.push_back(area);
  }
  const model::MemoryLayout layout(controller);
  const auto spot = layout.read(text);
  if (spot && spot->number) {
    const auto range = layout.range(spot->area, *spot->number, 1);
    if (range) fuzz::require(layout.read(layout.name_of(*range))->number == spot->number);
  }
  return 0;
}
