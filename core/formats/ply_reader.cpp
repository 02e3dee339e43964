// PLY, our own: other readers crash or hang on damaged files. ASCII and binary of both byte orders (Turk, "The PLY
// polygon file format", 1994).
#include "core/base/safe_file.h"
#include "core/formats/mesh_reader.h"
#include "core/formats/polygons.h"

#include <fmt/format.h>

#include <bit>
#include <charconv>
#include <cstring>
#include <sstream>

namespace arvesk {
namespace {

enum class Scalar { I8, U8, I16, U16, I32, U32, F32, F64 };

std::optional<Scalar> scalarNamed(std::string_view name) {
  constexpr std::array<std::pair<std::string_view, Scalar>, 16> kNames{{{"char", Scalar::I8},
                                                                        {"int8", Scalar::I8},
                                                                        {"uchar", Scalar::U8},
                                                                        {"uint8", Scalar::U8},
                                                                        {"short", Scalar::I16},
                                                                        {"int16", Scalar::I16},
                                                                        {"ushort", Scalar::U16},
                                                                        {"uint16", Scalar::U16},
                                                                        {"int", Scalar::I32},
                                                                        {"int32", Scalar::I32},
                                                                        {"uint", Scalar::U32},
                                                                        {"uint32", Scalar::U32},
                                                                        {"float", Scalar::F32},
                                                                        {"float32", Scalar::F32},
                                                                        {"double", Scalar::F64},
                                                                        {"float64", Scalar::F64}}};
  for (const auto& [text, scalar] : kNames)
    if (text == name) return scalar;
  return {};
}

std::size_t sizeOf(Scalar s) {
  constexpr std::array<std::size_t, 8> kSizes{1, 1, 2, 2, 4, 4, 4, 8};
  return kSizes[static_cast<std::size_t>(s)];
}

struct Property {
  std::string name;
  Scalar type = Scalar::F32;
  std::optional<Scalar> listCount;  // of a list
};
struct Element {
  std::string name;
  std::size_t count = 0;
  std::vector<Property> properties;
};

enum class Encoding { Ascii, Little, Big };

/// The numbers after the header, one after the other.
class Body {
 public:
  Body(std::string_view bytes, Encoding encoding) : m_rest(bytes), m_encoding(encoding) {}

  bool next(Scalar type, double& out) {
    if (m_encoding == Encoding::Ascii) return nextText(out);
    const std::size_t size = sizeOf(type);
    if (m_rest.size() < size) return false;
    std::array<char, 8> raw{};
    std::memcpy(raw.data(), m_rest.data(), size);
    m_rest.remove_prefix(size);
    if (m_encoding == Encoding::Big) std::reverse(raw.begin(), raw.begin() + static_cast<std::ptrdiff_t>(size));
    out = decoded(raw.data(), type);
    return true;
  }
  std::size_t left() const { return m_rest.size(); }

 private:
  bool nextText(double& out) {
    const auto isSpace = [](char c) { return c == ' ' || c == '\n' || c == '\r' || c == '\t'; };
    while (!m_rest.empty() && isSpace(m_rest.front())) m_rest.remove_prefix(1);
    const auto [end, error] = std::from_chars(m_rest.data(), m_rest.data() + m_rest.size(), out);
    if (error != std::errc()) return false;
    m_rest.remove_prefix(static_cast<std::size_t>(end - m_rest.data()));
    return m_rest.empty() || isSpace(m_rest.front());
  }
  template <typename T>
  static double as(const char* raw) {
    T value;
    std::memcpy(&value, raw, sizeof value);
    return static_cast<double>(value);
  }
  static double decoded(const char* raw, Scalar type) {
    switch (type) {
      case Scalar::I8: return as<std::int8_t>(raw);
      case Scalar::U8: return as<std::uint8_t>(raw);
      case Scalar::I16: return as<std::int16_t>(raw);
      case Scalar::U16: return as<std::uint16_t>(raw);
      case Scalar::I32: return as<std::int32_t>(raw);
      case Scalar::U32: return as<std::uint32_t>(raw);
      case Scalar::F32: return as<float>(raw);
      case Scalar::F64: return as<double>(raw);
    }
    return 0;
  }

  std::string_view m_rest;
  Encoding m_encoding;
};

struct Header {
  Encoding encoding = Encoding::Ascii;
  std::vector<Element> elements;
  std::size_t bodyStart = 0;
};

Failure bad(std::string message) {
  return fail(ProblemCode::FileUnreadable, "PLY: " + std::move(message), "Export the file again");
}

Result<Header> readHeader(const std::string& text) {
  Header header;
  std::size_t at = 0;
  bool hasFormat = false;
  for (int line = 1; line < 10000; ++line) {
    const std::size_t end = text.find('\n', at);
    if (end == std::string::npos) return bad("the header has no end");
    std::string content = text.substr(at, end - at);
    at = end + 1;
    if (!content.empty() && content.back() == '\r') content.pop_back();
    std::istringstream words(content);
    std::string word;
    words >> word;
    if (line == 1) {
      if (word != "ply") return bad("the file does not begin with \"ply\"");
    } else if (word == "format") {
      std::string name;
      words >> name;
      if (name == "ascii")
        header.encoding = Encoding::Ascii;
      else if (name == "binary_little_endian")
        header.encoding = Encoding::Little;
      else if (name == "binary_big_endian")
        header.encoding = Encoding::Big;
      else
        return bad(fmt::format("the format \"{}\" is not known", name));
      hasFormat = true;
    } else if (word == "element") {
      Element element;
      long long count = -1;
      words >> element.name >> count;
      if (!words || count < 0) return bad(fmt::format("line {} names no count", line));
      element.count = static_cast<std::size_t>(count);
      header.elements.push_back(element);
    } else if (word == "property") {
      if (header.elements.empty()) return bad("a property comes before any element");
      Property property;
      std::string type;
      words >> type;
      if (type == "list") {
        std::string countType;
        words >> countType >> type;
        property.listCount = scalarNamed(countType);
        if (!property.listCount) return bad(fmt::format("the type \"{}\" is not known", countType));
      }
      words >> property.name;
      const auto scalar = scalarNamed(type);
      if (!scalar || !words) return bad(fmt::format("line {} is not a property", line));
      property.type = *scalar;
      header.elements.back().properties.push_back(property);
    } else if (word == "end_header") {
      if (!hasFormat) return bad("the header names no format");
      header.bodyStart = at;
      return header;
    }
  }
  return bad("the header is too long");
}

/// Where a vertex property goes: a place in the known arrays, or a named attribute.
struct VertexColumns {
  std::array<int, 12> known;  // x y z nx ny nz u v r g b a → index of the property, −1 when absent
  std::vector<std::pair<std::size_t, std::string>> others;
};

VertexColumns columnsOf(const Element& element) {
  constexpr std::array<std::array<std::string_view, 4>, 12> kNames{{{"x", "", "", ""},
                                                                    {"y", "", "", ""},
                                                                    {"z", "", "", ""},
                                                                    {"nx", "", "", ""},
                                                                    {"ny", "", "", ""},
                                                                    {"nz", "", "", ""},
                                                                    {"u", "s", "texture_u", "texcoord_u"},
                                                                    {"v", "t", "texture_v", "texcoord_v"},
                                                                    {"red", "r", "diffuse_red", ""},
                                                                    {"green", "g", "diffuse_green", ""},
                                                                    {"blue", "b", "diffuse_blue", ""},
                                                                    {"alpha", "a", "", ""}}};
  VertexColumns columns;
  columns.known.fill(-1);
  for (std::size_t p = 0; p < element.properties.size(); ++p) {
    bool isKnown = false;
    for (std::size_t k = 0; k < kNames.size() && !isKnown; ++k)
      for (const std::string_view name : kNames[k])
        if (!name.empty() && name == element.properties[p].name && columns.known[k] < 0) {
          columns.known[k] = static_cast<int>(p);
          isKnown = true;
          break;
        }
    if (!isKnown && !element.properties[p].listCount) columns.others.push_back({p, element.properties[p].name});
  }
  return columns;
}

bool readList(Body& body, const Property& property, std::vector<double>& out) {
  double count = 0;
  if (!body.next(*property.listCount, count) || !(count >= 0) || count > static_cast<double>(body.left())) return false;
  out.resize(static_cast<std::size_t>(count));
  for (double& v : out)
    if (!body.next(property.type, v)) return false;
  return true;
}

bool readVertices(Body& body, const Element& element, Surface& s) {
  const VertexColumns columns = columnsOf(element);
  const auto has = [&](std::size_t k) { return columns.known[k] >= 0; };
  std::vector<double> row(element.properties.size());
  std::vector<double> list;
  std::vector<Array<float>> others(columns.others.size());
  const bool hasColor = has(8) && has(9) && has(10);
  for (std::size_t i = 0; i < element.count; ++i) {
    for (std::size_t p = 0; p < row.size(); ++p) {
      const Property& property = element.properties[p];
      if (property.listCount ? !readList(body, property, list) : !body.next(property.type, row[p])) return false;
    }
    const auto value = [&](std::size_t k) {
      return static_cast<float>(row[static_cast<std::size_t>(columns.known[k])]);
    };
    s.positions.edit().push_back({value(0), value(1), value(2)});
    if (has(3) && has(4) && has(5)) s.normals.edit().push_back({value(3), value(4), value(5)});
    if (has(6) && has(7)) s.uvs.edit().push_back({value(6), 1 - value(7)});
    if (hasColor) {
      const auto color = [&](std::size_t k) {
        const Scalar type = element.properties[static_cast<std::size_t>(columns.known[k])].type;
        return type == Scalar::U8 ? value(k) / 255 : type == Scalar::U16 ? value(k) / 65535 : value(k);
      };
      s.colors.edit().push_back(
          {linearFromSrgb(color(8)), linearFromSrgb(color(9)), linearFromSrgb(color(10)), has(11) ? color(11) : 1.0F});
    }
    for (std::size_t o = 0; o < others.size(); ++o)
      others[o].push_back(static_cast<float>(row[columns.others[o].first]));
  }
  for (std::size_t o = 0; o < others.size(); ++o)
    s.vertexAttributes[columns.others[o].second] = Column<float>(std::move(others[o]));
  return true;
}

bool isVertex(double v, const Surface& s) {
  return v >= 0 && v < static_cast<double>(s.positions.size()) && v == std::floor(v);
}

/// Strips of triangles, every other of which is turned; −1 begins a new one.
void addStrips(const std::vector<double>& list, const Surface& s, FaceTaker& faces) {
  std::array<std::uint32_t, 3> last{};
  std::size_t length = 0;
  for (const double v : list) {
    if (v == -1) {
      length = 0;
    } else if (!isVertex(v, s)) {
      faces.countOutside();
      length = 0;
    } else {
      last = {last[1], last[2], static_cast<std::uint32_t>(v)};
      if (++length < 3 || last[0] == last[1] || last[1] == last[2] || last[0] == last[2]) continue;
      faces.add(length % 2 == 1 ? last : std::array{last[1], last[0], last[2]});
    }
  }
}

bool readFaces(Body& body, const Element& element, const Surface& s, FaceTaker& faces) {
  std::vector<double> list;
  std::vector<std::uint32_t> vertices;
  double ignored = 0;
  for (std::size_t i = 0; i < element.count; ++i) {
    for (const Property& property : element.properties) {
      if (!property.listCount) {
        if (!body.next(property.type, ignored)) return false;
        continue;
      }
      if (!readList(body, property, list)) return false;
      if (property.name != "vertex_indices" && property.name != "vertex_index") continue;
      if (element.name == "tristrips") {
        addStrips(list, s, faces);
        continue;
      }
      if (!std::all_of(list.begin(), list.end(), [&](double v) { return isVertex(v, s); })) {
        faces.countOutside();
        continue;
      }
      vertices.clear();
      for (const double v : list) vertices.push_back(static_cast<std::uint32_t>(v));
      faces.add(vertices);
    }
  }
  return true;
}

}  // namespace

Result<Surface> readers::ply(const std::string& path, std::vector<Problem>& warnings) {
  const auto text = readWhole(path, std::size_t{8} << 30);
  if (!text) return Failure(text.error());
  const auto header = readHeader(*text);
  if (!header) return Failure(header.error());
  Surface s;
  Body body(std::string_view(*text).substr(header->bodyStart), header->encoding);
  FaceTaker faces(s);
  for (const Element& element : header->elements) {
    // A count that the rest of the file cannot hold is found before memory is taken.
    if (!element.properties.empty() && element.count > body.left())
      return bad(
          fmt::format("{} {}s are announced, but only {} bytes follow", element.count, element.name, body.left()));
    if (element.properties.empty()) continue;
    bool isWhole = true;
    if (element.name == "vertex") {
      const VertexColumns columns = columnsOf(element);
      if (columns.known[0] < 0 || columns.known[1] < 0 || columns.known[2] < 0)
        return bad("vertices have no x, y and z");
      isWhole = readVertices(body, element, s);
    } else if (element.name == "face" || element.name == "tristrips") {
      isWhole = readFaces(body, element, s, faces);
    } else {
      std::vector<double> list;
      double ignored = 0;
      for (std::size_t i = 0; i < element.count && isWhole; ++i)
        for (const Property& property : element.properties)
          isWhole = isWhole &&
                    (property.listCount ? readList(body, property, list) : body.next(property.type, ignored));
    }
    if (!isWhole)
      return bad(fmt::format("the file ends within its {} {}s, or holds something that is not a number", element.count,
                             element.name));
  }
  faces.tell(warnings);
  return s;
}

}  // namespace arvesk
