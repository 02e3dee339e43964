// Names that text parameters may choose among, of what the points at the main input carry.
#pragma once

#include "core/plan/node_kind.h"

namespace arvesk::nodes {

enum class Carried { Numbers, Texts };

/// Attributes of the points that are of that sort, each once: count 0, since one of them is meant.
inline std::vector<NameCount> carriedAttributes(const Inputs& in, Carried sort) {
  std::vector<NameCount> out;
  if (const PointsPtr points = in.points())
    for (const auto& [name, column] : points->attributes)
      if (sort == Carried::Texts ? std::holds_alternative<TextColumn>(column)
                                 : std::holds_alternative<Column<float>>(column))
        out.push_back({name, 0});
  return out;
}

/// The texts that the points carry under that name, with how many carry each.
inline std::vector<NameCount> carriedTexts(const Inputs& in, const std::string& attribute) {
  std::vector<NameCount> out;
  const PointsPtr points = in.points();
  const auto* column = points ? columnOf<TextColumn>(points->attributes, attribute) : nullptr;
  if (!column) return out;
  std::map<std::string, std::size_t> counts;
  for (std::size_t i = 0; i < points->count; ++i) ++counts[column->at(i)];
  for (const auto& [name, count] : counts) out.push_back({name, count});
  return out;
}

/// For kinds whose parameter `id` names one attribute.
inline void offersAttributes(NodeKind& kind, std::string id, Carried sort) {
  kind.names = [id = std::move(id), sort](const std::string& param, const EvalContext&, const Inputs& in,
                                          const ParamMap&) {
    return param == id ? carriedAttributes(in, sort) : std::vector<NameCount>();
  };
}

}  // namespace arvesk::nodes
