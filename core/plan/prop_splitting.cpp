#include "core/plan/prop_splitting.h"

#include <fmt/format.h>

#include <set>

namespace arvesk {
namespace {

std::string stemOf(const std::string& path) {
  const std::size_t from = path.find_last_of("/\\") + 1;  // 0 where there is none
  const std::size_t dot = path.find_last_of('.');
  return path.substr(from, dot == std::string::npos || dot < from ? std::string::npos : dot - from);
}

PropEntry partOf(const PropEntry& like, PartBy by, const std::string& name, std::string uid) {
  PropEntry p = like;
  p.uid = std::move(uid);
  p.partBy = by;
  p.part = name;
  p.name = by == PartBy::Piece ? fmt::format("{} {}", stemOf(like.file), name) : name;
  return p;
}

/// Lists that hold `uid` hold the others too, after it, with its weight.
void chooseToo(Plan& plan, const std::string& uid, const std::vector<std::string>& others, bool isReplaced) {
  for (Node& node : plan.nodes)
    for (auto& [id, value] : node.params) {
      auto* list = std::get_if<PropChoices>(&value);
      if (!list) continue;
      PropChoices next;
      for (const PropChoice& choice : *list) {
        if (choice.prop != uid || !isReplaced) next.push_back(choice);
        if (choice.prop != uid) continue;
        for (const std::string& other : others) next.push_back({other, choice.weight, choice.isOn});
      }
      *list = std::move(next);
    }
}

bool isPlacedByHand(const Plan& plan, const std::string& uid) {
  for (const Node& node : plan.nodes)
    for (const auto& [id, value] : node.params) {
      const auto names = [&](const std::vector<std::string>& props) {
        return std::find(props.begin(), props.end(), uid) != props.end();
      };
      if (const auto* points = std::get_if<HandPoints>(&value); points && names(points->props)) return true;
      if (const auto* touches = std::get_if<TouchUps>(&value); touches && names(touches->props)) return true;
    }
  return false;
}

std::vector<std::string> insertAfter(Plan& plan, const std::string& uid, const std::vector<PropEntry>& parts) {
  std::vector<std::string> out;
  for (const PropEntry& p : parts) out.push_back(p.uid);
  const auto at = std::find_if(plan.props.begin(), plan.props.end(), [&](const PropEntry& p) { return p.uid == uid; });
  plan.props.insert(at == plan.props.end() ? at : at + 1, parts.begin(), parts.end());
  return out;
}

}  // namespace

std::vector<std::string> namesOfSplit(const FileSplits& file, PartBy by, const std::string& parent) {
  switch (by) {
    case PartBy::Whole: return {};
    case PartBy::Part: return file.parts;
    case PartBy::Below:
      for (const FileSplits::Parent& p : file.parents)
        if (p.name == parent) return p.children;
      return {};
    case PartBy::Piece: {
      std::vector<std::string> out;
      for (std::size_t i = 1; i <= file.pieces; ++i) out.push_back(std::to_string(i));
      return out;
    }
  }
  return {};
}

std::vector<std::string> splitProp(Plan& plan, const std::string& uid, PartBy by,
                                   const std::vector<std::string>& names) {
  const PropEntry* whole = plan.findProp(uid);
  if (!whole || names.empty()) return {};
  std::vector<PropEntry> parts;
  for (const std::string& name : names) {
    PropEntry part = partOf(*whole, by, name, newUid());
    part.pivot = PivotAt::BaseCenter;
    part.lightFile.clear();
    part.mounts.clear();  // they are measured from the whole one's pivot
    parts.push_back(std::move(part));
  }
  const bool stays = isPlacedByHand(plan, uid);
  const std::vector<std::string> out = insertAfter(plan, uid, parts);
  chooseToo(plan, uid, out, true);
  if (!stays) std::erase_if(plan.props, [&](const PropEntry& p) { return p.uid == uid; });
  return out;
}

std::vector<std::string> newParts(const Plan& plan, const PropEntry& of, const FileSplits& file) {
  if (of.partBy == PartBy::Whole) return {};
  std::vector<std::string> there;
  if (of.partBy != PartBy::Below)
    there = namesOfSplit(file, of.partBy);
  else
    for (const FileSplits::Parent& parent : file.parents)
      if (std::find(parent.children.begin(), parent.children.end(), of.part) != parent.children.end())
        there = parent.children;
  std::set<std::string> known;
  for (const PropEntry& p : plan.props)
    if (p.file == of.file && p.partBy == of.partBy) known.insert(p.part);
  std::erase_if(there, [&](const std::string& name) { return known.contains(name); });
  return there;
}

std::vector<std::string> addParts(Plan& plan, const std::string& uid, const std::vector<std::string>& names) {
  const PropEntry* like = plan.findProp(uid);
  if (!like) return {};
  std::vector<PropEntry> parts;
  for (const std::string& name : names) parts.push_back(partOf(*like, like->partBy, name, newUid()));
  const std::vector<std::string> out = insertAfter(plan, uid, parts);
  chooseToo(plan, uid, out, false);
  return out;
}

}  // namespace arvesk
