// Kinds that remember what came to them at the frames before, such as Overshoot: what they know, and how it is found
// again whichever frame is asked for first.
//
// At every whole frame such a node leaves a memory for the next one. It depends on nothing but the plan and the frames
// up to it, so it is kept by the two, and frames that are missing are worked out one after the other from the last one
// that is known.
#pragma once

#include "core/plan/keys.h"

namespace arvesk {

/// What a node that remembers is evaluated with.
struct Remembered {
  ResultKey beforeKey{};   // of the result that left it: so plans of another shape that give the same share results
  ResultKey history{};     // of all that its memory depends on, but for the frame
  MemoryPtr before;        // null: nothing was before
  double sinceBefore = 0;  // s
  std::optional<Problem> fault;  // at an earlier frame: what it was then is not known
};
using Memories = std::map<std::string, Remembered>;  // by uid in the opened plan

/// Of all that `uid`, a node or instance of the plan itself, takes from, at every frame: nodes with their keys and
/// formulas, dials, props, sub-plans, and the content of files. Titles, places and views are no part of it.
ResultKey historyOf(const Plan& plan, const std::string& uid, Quality quality, FileService& files);

/// Where the memory of a frame is kept.
ResultKey memoryKey(const ResultKey& history, const std::string& uid, int frame);

/// A memory in the cache; an empty one says that at that frame there was none.
struct KeptMemory final : Cached {
  MemoryPtr memory;
  ResultKey key;  // of the result that left it
  KeptMemory(MemoryPtr m, const ResultKey& k) : memory(std::move(m)), key(k) {}
  void countBytes(ByteCounter& counter) const override {
    counter.add(this, sizeof(*this));
    if (memory) memory->countBytes(counter);
  }
};

}  // namespace arvesk
