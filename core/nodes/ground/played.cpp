#include "core/nodes/ground/played.h"

#include "core/base/pattern.h"

#include <fmt/format.h>

#include <cmath>
#include <set>

namespace arvesk::nodes {
namespace {

/// Where in a motion of this length it is.
double secondsIn(double length, const Moment& now, const Played& p) {
  if (p.plays == Plays::Moment) return p.moment;
  const double t = (now.frame - static_cast<double>(p.begins)) / now.rate * static_cast<double>(p.speed);
  if (!(length > 0)) return 0;
  switch (p.plays) {
    case Plays::Again: return t - length * std::floor(t / length);
    case Plays::Back: {
      const double there = t - 2 * length * std::floor(t / (2 * length));
      return there <= length ? there : 2 * length - there;
    }
    case Plays::Once:  // what plays backward begins at its end
      return std::clamp(p.speed < 0 ? length + t : t, 0.0, length);
    case Plays::Still:
    case Plays::Moment: break;
  }
  return 0;
}

/// Names of motions that move what an earlier one moves.
std::vector<std::string> rivals(const Motion& motion, const std::vector<std::uint32_t>& which) {
  std::set<std::pair<std::uint32_t, Motion::Track::Of>> moved;
  std::vector<std::string> out;
  for (const std::uint32_t clip : which) {
    bool isRival = false;
    for (const Motion::Track& track : motion.clips[clip].tracks) isRival |= moved.contains({track.node, track.of});
    for (const Motion::Track& track : motion.clips[clip].tracks) moved.insert({track.node, track.of});
    if (isRival) out.push_back(motion.clips[clip].name);
  }
  return out;
}

}  // namespace

bool playsInTime(const ParamMap& values) {
  const auto it = values.find("plays");
  const auto* plays = it == values.end() ? nullptr : std::get_if<std::string>(&it->second);
  return plays && *plays != "still" && *plays != "moment";
}

std::vector<NameCount> motionNames(const Surface& file) {
  std::vector<NameCount> out;
  if (file.motion)
    for (const Motion::Clip& clip : file.motion->clips) out.push_back({clip.name, clip.tracks.size()});
  return out;
}

Result<SurfacePtr> played(const EvalContext& ctx, const SurfacePtr& file, const Played& p) {
  if (p.plays == Plays::Still) return file;
  if (!file->motion) {
    ctx.warn("the file holds no motion that is read",
             "Motions of nodes, shapes and skins in glTF files play; else set Plays to Nothing");
    return file;
  }
  const Motion& motion = *file->motion;
  const Patterns wanted(p.clips);
  std::vector<std::string> names;
  std::vector<std::uint32_t> which;
  for (std::uint32_t c = 0; c < motion.clips.size(); ++c) {
    names.push_back(motion.clips[c].name);
    if (wanted.isEmpty() || wanted.match(motion.clips[c].name)) which.push_back(c);
  }
  if (which.empty())
    return fail(ProblemCode::BadParameter, fmt::format("no motion is called \"{}\"", p.clips),
                fmt::format("The file has: {}", listOf(names)));
  if (!wanted.isEmpty()) ctx.warnUnmatched(wanted, names, "motion");
  if (const std::vector<std::string> later = rivals(motion, which); !later.empty())
    ctx.warn(fmt::format("several motions move the same; what {} says counts", listOf(later)),
             fmt::format("Name the one that is to play under Motions: {}", listOf(names)));
  float length = 0;
  for (const std::uint32_t c : which) length = std::max(length, motion.clips[c].length());
  const double seconds = secondsIn(static_cast<double>(length), ctx.now, p);
  ctx.say(fmt::format("{:.2f} s of {:.2f} s", std::min(seconds, static_cast<double>(length)), length));
  Surface out = posed(*file, motion, which, seconds, ctx.task);
  if (ctx.task.isCancelled()) return Failure(cancelled());
  return std::make_shared<const Surface>(std::move(out));
}

}  // namespace arvesk::nodes
