#include "core/deliver/unread_files.h"

#include "core/plan/plan_paths.h"

#include <algorithm>
#include <filesystem>
#include <set>

namespace arvesk {
namespace {

namespace fs = std::filesystem;

/// Titles of the nodes behind `uid` that wait, each once, in the order of the plan.
std::vector<std::string> waitingBehind(const Plan& plan, const Evaluation& evaluation, const std::string& uid) {
  std::multimap<std::string, const Node*> users;
  for (const Node& node : plan.nodes)
    for (const auto& [id, links] : node.inputs)
      for (const Link& link : links) users.emplace(link.node, &node);
  std::set<const Node*> found;
  std::vector<std::string> open{uid};
  while (!open.empty()) {
    const std::string at = open.back();
    open.pop_back();
    for (auto [it, end] = users.equal_range(at); it != end; ++it) {
      const auto report = evaluation.reports.find(it->second->uid);
      if (report == evaluation.reports.end() || report->second.state != NodeState::Waiting) continue;
      if (found.insert(it->second).second) open.push_back(it->second->uid);
    }
  }
  std::vector<std::string> titles;
  for (const Node& node : plan.nodes)
    if (found.contains(&node)) titles.push_back(node.title);
  return titles;
}

/// Placements over all outputs, by the uid of a prop that could not be read.
std::map<std::string, std::size_t> standIns(const Plan& plan, const Evaluation& evaluation) {
  std::map<std::string, std::size_t> out;
  for (const Node& node : plan.nodes) {
    const NodeKind* kind = kindOf(node);
    if (!kind || !kind->isLayer || node.isSkipped) continue;
    const PointsPtr points = evaluation.firstOf<PointsPtr>(node.uid);
    if (!points || !points->kit) continue;
    std::vector<std::size_t> counts(points->kit->entries.size(), 0);
    for (std::size_t i = 0; i < points->count; ++i)
      if (points->prop[i] != kNoProp) ++counts[static_cast<std::size_t>(points->prop[i])];
    for (std::size_t k = 0; k < counts.size(); ++k)
      if (const PropPtr& prop = points->kit->entries[k].prop; prop->isMissing) out[prop->uid] += counts[k];
  }
  return out;
}

const Problem* errorOf(const std::vector<Problem>& problems) {
  const auto it = std::find_if(problems.begin(), problems.end(),
                               [](const Problem& p) { return p.severity == Severity::Error; });
  return it == problems.end() ? nullptr : &*it;
}

}  // namespace

std::vector<UnreadFile> unreadFiles(const Plan& plan, const Evaluation& evaluation) {
  std::vector<UnreadFile> out;
  const auto entry = [&](const std::string& path, const Problem& problem) -> UnreadFile& {
    const auto it = std::find_if(out.begin(), out.end(), [&](const UnreadFile& f) { return f.path == path; });
    if (it != out.end()) return *it;
    return out.emplace_back(UnreadFile{path, problem, {}, {}, 0});
  };
  const auto lost = standIns(plan, evaluation);
  for (const NamedFile& file : namedFiles(plan)) {
    if (file.isProp) {
      const PropEntry* prop = plan.findProp(file.uid);
      const auto told = evaluation.propProblems.find(file.uid);
      const Problem* problem = told == evaluation.propProblems.end() ? nullptr : errorOf(told->second);
      if (!problem) continue;
      UnreadFile& unread = entry(file.path, *problem);
      unread.neededBy.push_back(prop->name);
      if (const auto it = lost.find(file.uid); it != lost.end()) unread.placements += it->second;
      continue;
    }
    const auto report = evaluation.reports.find(file.uid);
    if (report == evaluation.reports.end() || report->second.state != NodeState::Failed) continue;
    const Problem* problem = errorOf(report->second.problems);
    if (!problem) continue;
    UnreadFile& unread = entry(file.path, *problem);
    unread.neededBy.push_back(plan.find(file.uid)->title);
    for (std::string& title : waitingBehind(plan, evaluation, file.uid))
      if (std::find(unread.waiting.begin(), unread.waiting.end(), title) == unread.waiting.end())
        unread.waiting.push_back(std::move(title));
  }
  return out;
}

std::vector<UnreadFile> refusedFiles(const Plan& plan, const DiskFileService& files) {
  std::map<std::string, UnreadFile> out;
  for (const NamedFile& named : namedFiles(plan))
    for (const std::string& side : files.refusedBeside(named.path)) {
      UnreadFile& file = out[side];
      file.path = side;
      file.folder = fs::path(side).parent_path().string();
      file.problem = problem(ProblemCode::FileMissing,
                             "lies outside of the folders of the file that names it and of the plan",
                             "Allow its folder, or put it beside", side);
      const std::string who = named.isProp ? plan.findProp(named.uid)->name : plan.find(named.uid)->title;
      if (std::find(file.neededBy.begin(), file.neededBy.end(), who) == file.neededBy.end())
        file.neededBy.push_back(who);
    }
  std::vector<UnreadFile> list;
  for (auto& [path, file] : out) list.push_back(std::move(file));
  return list;
}

std::map<std::string, std::string> filesBelow(const std::string& folder, const std::vector<std::string>& paths,
                                              const Task& task) {
  const auto lower = [](std::string text) {
    std::transform(text.begin(), text.end(), text.begin(), [](unsigned char c) { return std::tolower(c); });
    return text;
  };
  std::multimap<std::string, std::string> wanted;  // by name in small letters
  for (const std::string& path : paths) wanted.emplace(lower(fs::path(path).filename().string()), path);
  struct Found {
    std::string path;
    std::size_t alike = 0;  // parts of the paths from their ends, and whether letters are the same
  };
  std::map<std::string, Found> best;
  std::error_code fault;
  for (fs::recursive_directory_iterator it(folder, fs::directory_options::skip_permission_denied, fault), end;
       !fault && it != end && !task.isCancelled(); it.increment(fault)) {
    const auto [from, to] = wanted.equal_range(lower(it->path().filename().string()));
    if (from == to || !it->is_regular_file(fault)) continue;
    for (auto w = from; w != to; ++w) {
      const fs::path path = w->second;
      const std::vector<fs::path> a(path.begin(), path.end());
      const fs::path there = it->path();
      const std::vector<fs::path> b(there.begin(), there.end());
      std::size_t same = 0;
      while (same < a.size() && same < b.size() &&
             lower(a[a.size() - 1 - same].string()) == lower(b[b.size() - 1 - same].string()))
        ++same;
      const std::size_t alike = 2 * same + (a.back() == b.back() ? 1 : 0);
      Found& found = best[w->second];
      if (alike > found.alike || (alike == found.alike && there.string() < found.path)) found = {there.string(), alike};
    }
  }
  std::map<std::string, std::string> out;
  for (auto& [path, found] : best) out[path] = std::move(found.path);
  return out;
}

}  // namespace arvesk
