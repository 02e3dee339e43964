// What tests over every registered kind share: something for each input, parameters that make a kind do something, and
// its whole output as bits.
#pragma once

#include "tests/support/support.h"

namespace arvesk::test {

/// Hilly, 40 × 40 m, 4,608 triangles.
const SurfacePtr& ground();
/// A ball of 8 m, half of it under the ground.
VolumePtr bodyOnGround();
/// Some 5,000 points on it, bare.
PointsPtr pointsOnGround();
/// Something for every input, so that every kind runs.
Inputs inputsFor(const NodeKind& kind, const PointsPtr& points);
/// The kind's trial parameters, and those with each option of each choice and toggle in turn: every way a kind can
/// work.
std::vector<ParamMap> choicesOf(const NodeKind& kind);
/// All that outputs hold, as numbers that can be compared bit for bit.
std::vector<std::uint64_t> fingerprint(const Value& value);
std::vector<std::uint64_t> fingerprint(const Outputs& outputs);

/// For tests that have a row per registered kind.
class EveryKind : public QObject {
 protected:
  void everyKind() {
    QTest::addColumn<QString>("id");
    for (const NodeKind* kind : allNodeKinds()) QTest::newRow(kind->id.c_str()) << QString::fromStdString(kind->id);
  }
  const NodeKind& kind() {
    QFETCH(QString, id);
    return *findNodeKind(id.toStdString());
  }
};

}  // namespace arvesk::test
