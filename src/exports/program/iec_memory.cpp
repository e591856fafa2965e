#include "iec_memory.h"

#include <algorithm>

#include <fmt/format.h>

#include "model/ascii_text.h"

namespace greymet::exports {

using model::BitRange;
using model::bits_per_word;

namespace {

// Where bits lie, as `AT` takes it; nothing where the area is no directly represented variable
// (IEC 61131-3, 2.4.1.1).
std::string located(const model::MemoryLayout& layout, const BitRange& bits) {
  const model::MemoryArea& area = layout.controller().memory[bits.store];
  const std::string name = layout.name_of(bits);
  const std::string first = name.substr(0, name.find(".."));
  const bool direct = area.name.size() >= 2 && area.name.size() <= 3 && area.name[0] == '%' &&
                      std::string_view("IQM").find(area.name[1]) != std::string_view::npos &&
                      (area.name.size() == 2 ||
                       std::string_view("XBWDL").find(area.name[2]) != std::string_view::npos);
  const bool decimal = first.size() > area.name.size() &&
                       std::all_of(first.begin() + static_cast<std::ptrdiff_t>(area.name.size()),
                                   first.end(), [](char c) { return model::is_digit(c); });
  return direct && decimal && area.radix == 10 ? first : std::string();
}

constexpr std::uint64_t shortest_loop = 3;

}  // namespace

IecMemory::IecMemory(const model::MemoryLayout& layout, model::UniqueNames& names)
    : layout_(layout), names_(names) {
  for (const model::MemoryArea& area : layout.controller().memory) {
    arrays_.push_back(names_.take("mem_" + model::identifier(area.name)));
  }
}

bool IecMemory::of_bits(const BitRange& bits) const {
  return layout_.controller().memory[bits.store].kind == model::MemoryKind::bit;
}

bool IecMemory::in_words(const BitRange& bits) const {
  return !of_bits(bits) && bits.first % bits_per_word == 0 && bits.end % bits_per_word == 0;
}

void IecMemory::touch(std::size_t store, std::uint64_t at) {
  const auto [known, is_new] = touched_.try_emplace(store, Touched{at, at + 1});
  if (is_new) return;
  known->second.first = std::min(known->second.first, at);
  known->second.end = std::max(known->second.end, at + 1);
}

std::string IecMemory::word(std::size_t store, std::uint64_t index) {
  touch(store, index);
  const auto first = static_cast<std::uint64_t>(layout_.controller().memory[store].first);
  return fmt::format("{}[{}]", arrays_[store], first + index);
}

std::string IecMemory::bit(std::size_t store, std::uint64_t position) {
  const BitRange one{store, position, position + 1};
  if (located(layout_, one).empty()) {
    return word(store, position);  // members of an array
  }
  auto& name = located_bits_[{store, position}];
  if (name.empty()) name = names_.take("mem_" + model::identifier(layout_.name_of(one)));
  return name;
}

RawPlace IecMemory::place(const BitRange& bits) {
  RawPlace out;
  if (of_bits(bits)) {
    for (std::uint64_t at = bits.first; at < bits.end; ++at)
      out.words.push_back(bit(bits.store, at));
    return out;
  }
  if (bits.end - bits.first == 1) out.bit = bits.first % bits_per_word;
  for (std::uint64_t at = bits.first / bits_per_word; at * bits_per_word < bits.end; ++at) {
    out.words.push_back(word(bits.store, at));
  }
  return out;
}

// `count` words of memory from `first` on and as many of the buffer, in either direction.
std::string IecMemory::loop(std::size_t store, std::uint64_t first, std::uint64_t count,
                            bool from_memory, std::uint64_t buffer, const std::string& indent) {
  std::string text;
  const auto assign = [&](const std::string& memory, const std::string& held) {
    return from_memory ? fmt::format("{} := {};\n", held, memory)
                       : fmt::format("{} := {};\n", memory, held);
  };
  if (count < shortest_loop) {
    for (std::uint64_t i = 0; i < count; ++i) {
      text += indent + assign(word(store, first + i), fmt::format("words[{}]", buffer + i));
    }
    return text;
  }
  (void)word(store, first);
  (void)word(store, first + count - 1);
  const auto number = static_cast<std::uint64_t>(layout_.controller().memory[store].first) + first;
  const auto plus = [](std::uint64_t from) {
    return from == 0 ? std::string("i") : fmt::format("{} + i", from);
  };
  return fmt::format("{0}FOR i := 0 TO {1} DO\n{0}  {2}{0}END_FOR;\n", indent, count - 1,
                     assign(fmt::format("{}[{}]", arrays_[store], plus(number)),
                            fmt::format("words[{}]", plus(buffer))));
}

std::string IecMemory::load_words(const BitRange& bits, const std::string& indent) {
  if (in_words(bits)) {
    return loop(bits.store, bits.first / bits_per_word, (bits.end - bits.first) / bits_per_word,
                true, 0, indent);
  }
  std::string text;
  for (std::uint64_t k = 0; bits.first + k < bits.end; ++k) {
    const std::string held = fmt::format("words[{}]", k / bits_per_word);
    if (k % bits_per_word == 0) text += fmt::format("{}{} := 16#0000;\n", indent, held);
    const RawPlace from = place({bits.store, bits.first + k, bits.first + k + 1});
    text += fmt::format("{0}IF {1} THEN\n{0}  {2} := {2} OR 16#{3:04X};\n{0}END_IF;\n", indent,
                        from.condition(), held, 1U << k % bits_per_word);
  }
  return text;
}

std::string IecMemory::store_words(const BitRange& value, const BitRange& block, unsigned kept,
                                   const std::string& indent) {
  const std::uint64_t begin = value.first - block.first;  // in the buffer, in bits
  if (in_words(value) && begin % bits_per_word == 0) {
    if (kept == 0) {
      return loop(value.store, value.first / bits_per_word,
                  (value.end - value.first) / bits_per_word, false, begin / bits_per_word, indent);
    }
    const std::string target = word(value.store, value.first / bits_per_word);
    return fmt::format("{0}{1} := ({1} AND 16#{2:04X}) OR (words[{3}] AND 16#{4:04X});\n", indent,
                       target, kept, begin / bits_per_word, 0xFFFFU & ~kept);
  }
  std::string text;
  for (std::uint64_t k = 0; value.first + k < value.end; ++k) {
    const RawPlace held{{fmt::format("words[{}]", (begin + k) / bits_per_word)},
                        (begin + k) % bits_per_word};
    text += place({value.store, value.first + k, value.first + k + 1})
                .set_text(held.condition(), indent);
  }
  return text;
}

std::string IecMemory::clear(const BitRange& bits, const std::string& indent) {
  std::string text;
  if (in_words(bits)) {
    const std::uint64_t count = (bits.end - bits.first) / bits_per_word;
    if (count < shortest_loop) {
      for (const std::string& each : place(bits).words) {
        text += fmt::format("{}{} := 16#0000;\n", indent, each);
      }
      return text;
    }
    (void)place(bits);
    const auto first = static_cast<std::uint64_t>(layout_.controller().memory[bits.store].first) +
                       bits.first / bits_per_word;
    return fmt::format("{0}FOR i := {1} TO {2} DO\n{0}  {3}[i] := 16#0000;\n{0}END_FOR;\n", indent,
                       first, first + count - 1, arrays_[bits.store]);
  }
  for (std::uint64_t at = bits.first; at < bits.end; ++at) {
    text += place({bits.store, at, at + 1}).set_text("FALSE", indent);
  }
  return text;
}

std::string IecMemory::copy(const BitRange& from, const BitRange& to, const std::string& indent) {
  std::string text;
  const std::uint64_t size = from.end - from.first;
  if (in_words(from) && in_words(to)) {
    const std::uint64_t count = size / bits_per_word;
    (void)place(from);
    (void)place(to);
    const auto first_of = [&](const BitRange& bits) {
      return static_cast<std::uint64_t>(layout_.controller().memory[bits.store].first) +
             bits.first / bits_per_word;
    };
    if (count < shortest_loop) {
      for (std::uint64_t i = 0; i < count; ++i) {
        text += fmt::format("{}{}[{}] := {}[{}];\n", indent, arrays_[to.store], first_of(to) + i,
                            arrays_[from.store], first_of(from) + i);
      }
      return text;
    }
    return fmt::format("{0}FOR i := 0 TO {1} DO\n{0}  {2}[{3} + i] := {4}[{5} + i];\n{0}END_FOR;\n",
                       indent, count - 1, arrays_[to.store], first_of(to), arrays_[from.store],
                       first_of(from));
  }
  for (std::uint64_t i = 0; i < size; ++i) {
    const RawPlace source = place({from.store, from.first + i, from.first + i + 1});
    text += place({to.store, to.first + i, to.first + i + 1}).set_text(source.condition(), indent);
  }
  return text;
}

std::vector<IecVariable> IecMemory::variables() const {
  std::vector<IecVariable> out;
  const auto& areas = layout_.controller().memory;
  for (const auto& [store, touched] : touched_) {
    const bool bits = areas[store].kind == model::MemoryKind::bit;
    IecVariable v = iec_variable(arrays_[store], bits ? "BOOL" : "WORD");
    const auto first = static_cast<std::uint64_t>(areas[store].first);
    v.type.bounds = {first + touched.first, first + touched.end - 1};
    const std::uint64_t width = bits ? 1 : bits_per_word;
    const BitRange all{store, touched.first * width, touched.end * width};
    if (!bits) v.at = located(layout_, {store, all.first, all.first + width});
    v.comment = layout_.name_of(all);
    if (v.at.empty()) v.comment += ": brought in before the program runs, and back behind it";
    out.push_back(std::move(v));
  }
  for (const auto& [place, name] : located_bits_) {
    IecVariable v = iec_variable(name, "BOOL");
    v.at = located(layout_, {place.first, place.second, place.second + 1});
    out.push_back(std::move(v));
  }
  return out;
}

std::vector<std::string> IecMemory::unlocated() const {
  std::vector<std::string> out;
  for (const IecVariable& v : variables()) {
    if (v.at.empty()) out.push_back(v.name + " is " + v.comment.substr(0, v.comment.find(':')));
  }
  return out;
}

}  // namespace greymet::exports
