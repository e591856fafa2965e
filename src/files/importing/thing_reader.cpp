#include "thing_reader.h"

#include <charconv>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "files/csv_text.h"
#include "model/ascii_text.h"
#include "model/data_type.h"
#include "model/text_slips.h"
#include "model/utf8_text.h"

namespace greymet::files::internal {
namespace {

using OrderedJson = nlohmann::ordered_json;  // points keep their order

std::string text_at(const OrderedJson& object, const char* key) {
  const auto found = object.is_object() ? object.find(key) : object.end();
  return object.is_object() && found != object.end() && found->is_string()
             ? found->get<std::string>()
             : std::string();
}

std::string number_at(const OrderedJson& object, const char* key) {
  const auto found = object.is_object() ? object.find(key) : object.end();
  if (!object.is_object() || found == object.end() || !found->is_number()) return {};
  if (found->is_number_integer()) return found->dump();
  return fmt::format("{}", found->get<double>());
}

std::optional<bool> flag_at(const OrderedJson& object, const char* key) {
  const auto found = object.is_object() ? object.find(key) : object.end();
  if (!object.is_object() || found == object.end() || !found->is_boolean()) return std::nullopt;
  return found->get<bool>();
}

// "modbus+tcp://10.0.0.1:502/1/40?quantity=2"
struct Href {
  std::string scheme;
  std::string host;
  std::int64_t port = 502;
  std::optional<std::int64_t> unit;
  std::optional<std::int64_t> address;
  std::optional<std::int64_t> quantity;
};

std::optional<std::int64_t> whole(std::string_view text) {
  std::int64_t value = 0;
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
  if (error != std::errc() || end != text.data() + text.size() || text.empty()) return std::nullopt;
  return value;
}

Href href_of(const std::string& base, std::string text) {
  if (text.find("://") == std::string::npos) {
    text = base + (base.ends_with('/') || text.starts_with('/') ? "" : "/") + text;
  }
  Href out;
  std::string_view rest = text;
  const std::size_t scheme = rest.find("://");
  if (scheme == std::string_view::npos) return out;
  out.scheme = rest.substr(0, scheme);
  rest.remove_prefix(scheme + 3);
  if (const std::size_t query = rest.find('?'); query != std::string_view::npos) {
    std::string_view parameters = rest.substr(query + 1);
    constexpr std::string_view key = "quantity=";
    if (const std::size_t at = parameters.find(key); at != std::string_view::npos) {
      parameters.remove_prefix(at + key.size());
      out.quantity = whole(parameters.substr(0, parameters.find('&')));
    }
    rest = rest.substr(0, query);
  }
  const std::size_t slash = std::min(rest.find('/'), rest.size());
  std::string_view authority = rest.substr(0, slash);
  if (const std::size_t colon = authority.rfind(':'); colon != std::string_view::npos) {
    out.port = whole(authority.substr(colon + 1)).value_or(502);
    authority = authority.substr(0, colon);
  }
  out.host = authority;
  rest.remove_prefix(std::min(slash + 1, rest.size()));
  const std::size_t second = rest.find('/');
  out.unit = whole(rest.substr(0, second));
  if (second != std::string_view::npos) {
    const std::string_view path = rest.substr(second + 1);
    out.address = whole(path.substr(0, path.find('/')));
  }
  return out;
}

std::string area_of(const OrderedJson& form) {
  const std::string entity = model::bare_word(text_at(form, "modv:entity"));
  if (entity == "coil") return "co";
  if (entity == "discreteinput") return "di";
  if (entity == "inputregister") return "ir";
  if (entity == "holdingregister") return "hr";
  const std::string function = text_at(form, "modv:function") + number_at(form, "modv:function");
  const std::string word = model::bare_word(function);
  for (const auto& [names, area] :
       {std::pair{"1 readcoil readcoils 5 writesinglecoil 15 writemultiplecoils", "co"},
        std::pair{"2 readdiscreteinput readdiscreteinputs", "di"},
        std::pair{"4 readinputregister readinputregisters", "ir"},
        std::pair{
            "3 readholdingregisters readmultipleholdingregisters 6 writesingleholdingregister "
            "16 writemultipleholdingregisters",
            "hr"}}) {
    if (!word.empty() &&
        fmt::format(" {} ", names).find(fmt::format(" {} ", word)) != std::string::npos) {
      return area;
    }
  }
  return {};
}

std::string type_of(const OrderedJson& property, const OrderedJson& form, const std::string& area,
                    std::int64_t quantity) {
  if (std::string own = text_at(property, "greymet:type"); !own.empty()) return own;
  if (area == "co" || area == "di") return "bool";
  std::string xsd = text_at(form, "modv:type");
  xsd = model::in_small_letters(
      xsd.substr(xsd.find(':') == std::string::npos ? 0 : xsd.find(':') + 1));
  if (xsd == "float") return "f32";
  if (xsd == "double") return "f64";
  if (xsd == "boolean") return "bool";
  if (xsd == "string") return fmt::format("text({})", 2 * quantity);
  const bool is_unsigned = xsd.starts_with("unsigned");
  const std::string size = is_unsigned ? xsd.substr(8) : xsd;
  const char* bits = size == "short" || size == "byte" ? "16"
                     : size == "int"                   ? "32"
                     : size == "long"                  ? "64"
                                                       : nullptr;
  if (bits != nullptr) return (is_unsigned ? "u" : "i") + std::string(bits);
  return {};
}

std::string word_order_of(const OrderedJson& form) {
  const auto byte = flag_at(form, "modv:mostSignificantByte");
  const auto word = flag_at(form, "modv:mostSignificantWord");
  if (!byte && !word) return {};
  // what is left out is the most significant one first
  if (byte.value_or(true)) return word.value_or(true) ? "ABCD" : "CDAB";
  return word.value_or(true) ? "BADC" : "DCBA";
}

class ThingReader {
 public:
  explicit ThingReader(const OrderedJson& thing) : thing_(thing) {}

  ImportedMap read() {
    csv_.row({"point", "area", "address", "type", "bit", "word_order", "factor", "offset", "unit",
              "min", "max", "access", "note", "names"});
    for (const auto& [name, property] : thing_["properties"].items()) {
      if (out_.points >= most_rows) break;
      if (const std::string why = add(name, property); !why.empty() && left_out_++ < most_told) {
        out_.notes.push_back(
            fmt::format("left out: property '{}': {}", model::quoted_start(name), why));
      }
    }
    if (left_out_ > most_told) {
      out_.notes.push_back(fmt::format("left out: {} more properties", left_out_ - most_told));
    }
    out_.csv = csv_.take();
    out_.numbering = "from-0";
    return std::move(out_);
  }

 private:
  static constexpr std::size_t most_told = 20;

  // Why it is no point; empty where it is one.
  std::string add(const std::string& name, const OrderedJson& property) {
    const auto forms = property.is_object() ? property.find("forms") : property.end();
    if (!property.is_object() || forms == property.end() || !forms->is_array() || forms->empty()) {
      return "it has no form";
    }
    const OrderedJson& form = forms->front();
    const Href href = href_of(text_at(thing_, "base"), text_at(form, "href"));
    if (!href.scheme.starts_with("modbus")) return "its form is not of the Modbus binding";
    const std::string area = area_of(form);
    if (area.empty()) return "neither modv:entity nor modv:function says where it is";
    // the binding counts from 1 unless it says otherwise
    const std::int64_t from = flag_at(form, "modv:zeroBasedAddressing").value_or(false) ? 0 : 1;
    if (!href.address || *href.address < from || *href.address - from > 65'535) {
      return "its href has no address";
    }
    const std::int64_t quantity = href.quantity.value_or(1);
    const std::string type = type_of(property, form, area, quantity);
    if (!model::data_type_from(type)) return "neither modv:type nor greymet:type says what it is";
    if (quantity != model::registers_of(*model::data_type_from(type))) {
      return fmt::format("quantity {} does not fit type {}", quantity, type);
    }
    // of raw values our own words tell what people read
    const bool raw = flag_at(property, "greymet:raw").value_or(false);
    const auto ours = [&](const auto& read, const std::string& word, const char* standard) {
      return raw ? read(property, ("greymet:" + word).c_str()) : read(property, standard);
    };
    const bool read_only = flag_at(property, "readOnly").value_or(false);
    const bool write_only = flag_at(property, "writeOnly").value_or(false);
    csv_.row({name, area, std::to_string(*href.address - from), type,
              number_at(property, "greymet:bit"),
              model::is_multi_register(*model::data_type_from(type)) ? word_order_of(form) : "",
              number_at(property, "greymet:factor"), number_at(property, "greymet:offset"),
              ours(text_at, "unit", "unit"), ours(number_at, "minimum", "minimum"),
              ours(number_at, "maximum", "maximum"),
              area == "ir" || area == "di" || read_only ? "r"
              : write_only                              ? "w"
                                                        : "rw",
              ours(text_at, "note", "description"), text_at(property, "greymet:names")});
    ++out_.points;
    if (!out_.endpoint && href.scheme == "modbus+tcp" && !href.host.empty()) {
      out_.endpoint = ImportedEndpoint{href.host, href.port, href.unit};
    }
    return {};
  }

  const OrderedJson& thing_;
  CsvWriter csv_{CsvFor::storage};
  ImportedMap out_;
  std::size_t left_out_ = 0;
};

}  // namespace

tl::expected<ImportedMap, FileError> import_thing(const std::string& content) {
  const OrderedJson thing = OrderedJson::parse(content, nullptr, false);
  if (!thing.is_object() || !thing.contains("properties") || !thing["properties"].is_object()) {
    return tl::unexpected(FileError{"is no Thing Description: an object with properties"});
  }
  ImportedMap map = ThingReader(thing).read();
  if (map.points == 0) {
    return tl::unexpected(
        FileError{"has no property with a form of the Modbus binding" +
                  (map.notes.empty() ? std::string() : "; " + map.notes.front())});
  }
  return map;
}

}  // namespace greymet::files::internal
