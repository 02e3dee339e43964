// A strict reader of USD text (the part of the grammar that exports use): what it does not know is an error, so that a
// file that passes has prims, typed attributes, metadata and targets as the format has them (Universal Scene
// Description, "USD Crate and Text File Formats").
#pragma once

#include <map>
#include <string>
#include <vector>

namespace arvesk::test::usda {

struct Attribute {
  std::string type;  // "point3f[]", "token", "rel" …
  bool isUniform = false;
  bool hasValue = false;
  std::vector<std::vector<std::string>> items;  // each value's parts: three of a point, one of a number or a text
  std::vector<std::string> targets;             // of rel and .connect
  std::map<std::string, std::string> metadata;
};

struct Prim {
  std::string type;
  std::string path;
  std::map<std::string, std::string> metadata;
  std::map<std::string, Attribute> attributes;
  std::vector<Prim> children;

  const Attribute* find(const std::string& name) const {
    const auto it = attributes.find(name);
    return it == attributes.end() ? nullptr : &it->second;
  }
};

struct File {
  std::map<std::string, std::string> metadata;
  std::vector<Prim> prims;
  std::string fault;  // what is wrong and in which line; empty when nothing is

  /// All prims, parents first.
  std::vector<const Prim*> all() const;
};

File read(const std::string& text);

}  // namespace arvesk::test::usda
