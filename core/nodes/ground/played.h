// What nodes that read scene files can do besides: play the motion that a file holds.
#pragma once

#include "core/geometry/motion.h"
#include "core/plan/node_kind.h"

namespace arvesk::nodes {

enum class Plays { Still, Once, Again, Back, Moment };
struct Played {
  Plays plays = Plays::Still;
  std::string clips;
  float begins = 1;  // frame
  float speed = 1;
  float moment = 0;  // s
};

template <typename P>
void addPlayedParams(std::vector<ParamSpec>& params) {
  const auto group = ARVESK_TEXT("node", "Motion of the file");
  params.push_back(
      param<P>("plays", static_cast<Plays P::*>(&P::plays), ARVESK_TEXT("node", "Plays"),
               ARVESK_TEXT("node",
                           "What of the motion in a glTF file is shown: none, as it lies at rest; once, from when it "
                           "begins; again and again; forward and back again; or one moment of it, which can have keys. "
                           "Points that are scattered on it ride along on their faces."),
               {{"still", ARVESK_TEXT("node", "Nothing")},
                {"once", ARVESK_TEXT("node", "Once")},
                {"again", ARVESK_TEXT("node", "Again and again")},
                {"back", ARVESK_TEXT("node", "There and back")},
                {"moment", ARVESK_TEXT("node", "One moment")}}));
  params.push_back(param<P>("clips", static_cast<std::string P::*>(&P::clips), ARVESK_TEXT("node", "Motions"),
                            ARVESK_TEXT("node",
                                        "Names of the motions that play, with * and ? as wildcards, separated by "
                                        "semicolons; empty plays all. Of two that move the same the later one counts."))
                       .shown("plays", {"once", "again", "back", "moment"}));
  params.push_back(param<P>("begins", static_cast<float P::*>(&P::begins), ARVESK_TEXT("node", "Begins at frame"),
                            ARVESK_TEXT("node", "The frame of the plan at which the motion begins."))
                       .hard(-1e6, 1e6)
                       .usual(-100, 240, 1)
                       .shown("plays", {"once", "again", "back"}));
  params.push_back(param<P>("speed", static_cast<float P::*>(&P::speed), ARVESK_TEXT("node", "Speed"),
                            ARVESK_TEXT("node", "Factor on how fast it plays; below 0 it plays backward."))
                       .hard(-1000, 1000)
                       .usual(0, 4, 0.1)
                       .shown("plays", {"once", "again", "back"}));
  params.push_back(param<P>("moment", static_cast<float P::*>(&P::moment), ARVESK_TEXT("node", "Moment"),
                            ARVESK_TEXT("node", "Which moment of the motion is shown, from its beginning on."))
                       .in(Unit::Second)
                       .hard(0, 1e5)
                       .usual(0, 10, 0.1)
                       .shown("plays", {"moment"}));
  putUnder(params, group, {"plays", "clips", "begins", "speed", "moment"});
}

/// Only what goes by the plan's time is another thing at each frame.
bool playsInTime(const ParamMap& values);

/// The file as it lies at the moment; itself where nothing plays. Names that fit no motion, motions that move the same
/// thing, and files without any are told.
Result<SurfacePtr> played(const EvalContext& ctx, const SurfacePtr& file, const Played& played);

/// Of the parameter "clips": the motions of the file.
std::vector<NameCount> motionNames(const Surface& file);

}  // namespace arvesk::nodes
