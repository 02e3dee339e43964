#include "tests/support/usda.h"

#include <algorithm>
#include <functional>
#include <set>
#include <stdexcept>

namespace arvesk::test::usda {
namespace {

/// How many parts a value of a type has, and whether they are numbers, whole numbers or words.
struct Shape {
  std::size_t parts;
  enum { Number, Whole, Truth, Text, Asset } of;
};
const std::map<std::string, Shape> kTypes = {
    {"int", {1, Shape::Whole}},        {"int64", {1, Shape::Whole}},       {"uint64", {1, Shape::Whole}},
    {"bool", {1, Shape::Truth}},       {"float", {1, Shape::Number}},      {"double", {1, Shape::Number}},
    {"float2", {2, Shape::Number}},    {"texCoord2f", {2, Shape::Number}}, {"float3", {3, Shape::Number}},
    {"point3f", {3, Shape::Number}},   {"normal3f", {3, Shape::Number}},   {"color3f", {3, Shape::Number}},
    {"quath", {4, Shape::Number}},     {"token", {1, Shape::Text}},        {"string", {1, Shape::Text}},
    {"matrix4d", {16, Shape::Number}}, {"asset", {1, Shape::Asset}}};

class Reader {
 public:
  explicit Reader(const std::string& text) : m_text(text) {}

  File file() {
    File out;
    try {
      if (m_text.rfind("#usda 1.0\n", 0) != 0) wrong("does not begin with #usda 1.0");
      m_at = 10;
      space();
      if (peek() == '(') out.metadata = metadata();
      for (space(); m_at < m_text.size(); space()) out.prims.push_back(prim(""));
      unique(out.prims);
    } catch (const std::runtime_error& e) { out.fault = e.what(); }
    return out;
  }

 private:
  [[noreturn]] void wrong(const std::string& what) const {
    throw std::runtime_error(
        "line " +
        std::to_string(1 + std::count(m_text.begin(),
                                      m_text.begin() + static_cast<std::ptrdiff_t>(std::min(m_at, m_text.size())),
                                      '\n')) +
        ": " + what);
  }
  char peek() const { return m_at < m_text.size() ? m_text[m_at] : '\0'; }
  void space() {
    while (peek() == ' ' || peek() == '\n' || peek() == '\t') ++m_at;
  }
  void expect(char c) {
    space();
    if (peek() != c) wrong(std::string("expected ").append(1, c).append(", found ").append(1, peek()));
    ++m_at;
  }
  bool accept(char c) {
    space();
    if (peek() != c) return false;
    ++m_at;
    return true;
  }
  std::string word() {  // identifiers with namespaces and properties: primvars:st.connect
    space();
    const std::size_t start = m_at;
    while (std::isalnum(static_cast<unsigned char>(peek())) || peek() == '_' || peek() == ':' || peek() == '.') ++m_at;
    if (m_at == start || std::isdigit(static_cast<unsigned char>(m_text[start]))) wrong("expected a name");
    return m_text.substr(start, m_at - start);
  }
  std::string text() {
    expect('"');
    std::string out;
    for (; peek() != '"'; ++m_at) {
      if (peek() == '\0' || peek() == '\n') wrong("a text is never closed");
      if (peek() == '\\') ++m_at;
      out += peek();
    }
    ++m_at;
    return out;
  }
  std::string between(char open, char close) {
    expect(open);
    const std::size_t end = m_text.find(close, m_at);
    if (end == std::string::npos) wrong(std::string("no closing ").append(1, close));
    const std::string out = m_text.substr(m_at, end - m_at);
    m_at = end + 1;
    return out;
  }
  std::string number(bool isWhole) {
    space();
    char* end = nullptr;
    const char* begin = m_text.c_str() + m_at;
    if (isWhole)
      static_cast<void>(std::strtoll(begin, &end, 10));
    else
      static_cast<void>(std::strtod(begin, &end));
    if (end == begin) wrong("expected a number");
    const std::string out(begin, static_cast<std::size_t>(end - begin));
    if (out.find_first_of("nN") != std::string::npos) wrong("a number that is none: " + out);
    m_at += out.size();
    if (peek() != ',' && peek() != ']' && peek() != ')' && peek() != '\n' && peek() != ' ')
      wrong("a number goes on as " + std::string(1, peek()));
    return out;
  }
  std::string one(Shape shape) {
    switch (shape.of) {
      case Shape::Number: return number(false);
      case Shape::Whole: return number(true);
      case Shape::Truth: {
        const std::string t = number(true);
        if (t != "0" && t != "1") wrong("a bool is 0 or 1");
        return t;
      }
      case Shape::Text: return text();
      case Shape::Asset: return between('@', '@');
    }
    return {};
  }
  std::vector<std::string> value(Shape shape) {
    if (shape.parts == 1) return {one(shape)};
    std::vector<std::string> out;
    if (shape.parts == 16) {  // a matrix: four rows
      expect('(');
      for (int row = 0; row < 4; ++row) {
        if (row > 0) expect(',');
        const auto numbers = value({4, shape.of});
        out.insert(out.end(), numbers.begin(), numbers.end());
      }
      expect(')');
      return out;
    }
    expect('(');
    for (std::size_t k = 0; k < shape.parts; ++k) {
      if (k > 0) expect(',');
      out.push_back(one(shape));
    }
    expect(')');
    return out;
  }
  std::vector<std::string> targets() {
    std::vector<std::string> out;
    if (!accept('[')) return {between('<', '>')};
    if (accept(']')) return out;
    do out.push_back(between('<', '>'));
    while (accept(','));
    expect(']');
    return out;
  }
  std::map<std::string, std::string> metadata() {
    std::map<std::string, std::string> out;
    expect('(');
    while (!accept(')')) {
      std::string key = word();
      if (key == "prepend") key = word();
      expect('=');
      space();
      std::string value;
      if (peek() == '"')
        value = text();
      else if (peek() == '@') {
        value = between('@', '@');
        if (peek() == '<') value += "<" + between('<', '>') + ">";
      } else if (accept('[')) {
        do {
          if (!value.empty()) value += ',';
          value += text();
        } while (accept(','));
        expect(']');
      } else
        value = number(false);
      if (!out.emplace(key, value).second) wrong("metadata twice: " + key);
    }
    return out;
  }
  void attribute(Prim& of) {
    Attribute a;
    std::string first = word();
    if (first == "custom") first = word();
    if (first == "uniform") a.isUniform = true, first = word();
    a.type = first;
    bool isList = false;
    if (a.type != "rel" && peek() == '[') {
      m_at += 2;
      isList = true;
      a.type += "[]";
    }
    std::string name = word();
    const auto shape = kTypes.find(first);
    if (a.type != "rel" && shape == kTypes.end()) wrong("no type " + first);
    while (peek() == ' ') ++m_at;
    if (peek() == '=') {
      ++m_at;
      a.hasValue = true;
      if (a.type == "rel" || name.ends_with(".connect"))
        a.targets = targets();
      else if (!isList)
        a.items.push_back(value(shape->second));
      else {
        expect('[');
        if (!accept(']')) {
          do a.items.push_back(value(shape->second));
          while (accept(','));
          expect(']');
        }
      }
    }
    while (peek() == ' ') ++m_at;
    if (peek() == '(') a.metadata = metadata();
    while (peek() == ' ') ++m_at;
    if (peek() != '\n') wrong(name + " does not end with its line");
    if (!of.attributes.emplace(name, std::move(a)).second) wrong("attribute twice: " + name);
  }
  Prim prim(const std::string& parent) {
    if (word() != "def") wrong("expected def");
    Prim p;
    space();
    if (peek() != '"') p.type = word();  // else what is referenced has one
    const std::string name = text();
    if (name.empty() || std::isdigit(static_cast<unsigned char>(name[0])) ||
        !std::all_of(name.begin(), name.end(), [](char c) {
          return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '_';
        }))
      wrong("no name of a prim: " + name);
    p.path = parent + "/" + name;
    space();
    if (peek() == '(') p.metadata = metadata();
    expect('{');
    while (!accept('}')) {
      space();
      if (m_text.compare(m_at, 4, "def ") == 0)
        p.children.push_back(prim(p.path));
      else
        attribute(p);
    }
    unique(p.children);
    return p;
  }
  void unique(const std::vector<Prim>& prims) {
    std::set<std::string> paths;
    for (const Prim& p : prims)
      if (!paths.insert(p.path).second) wrong("two prims at " + p.path);
  }

  const std::string& m_text;
  std::size_t m_at = 0;
};

}  // namespace

std::vector<const Prim*> File::all() const {
  std::vector<const Prim*> out;
  const std::function<void(const std::vector<Prim>&)> walk = [&](const std::vector<Prim>& list) {
    for (const Prim& p : list) {
      out.push_back(&p);
      walk(p.children);
    }
  };
  walk(prims);
  return out;
}

File read(const std::string& text) { return Reader(text).file(); }

}  // namespace arvesk::test::usda
