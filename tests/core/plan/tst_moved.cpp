// Points know whether they still stand where they were set down, in whole random plans and both ways: nothing that was
// set down last is called moved, and what is moved afterwards is called so exactly when it went far enough.
#include "tests/support/plans.h"

#include <random>

using namespace arvesk;

namespace {

constexpr float kFar = 0.05F;  // m along the ground; up and down does not count

/// Puts a node between an output and what it takes; one for each of its links.
void putBefore(Plan& plan, const std::string& output, const std::string& kind, const ParamMap& params,
               const std::map<std::string, std::string>& inputs, const std::string& mark) {
  const std::vector<Link> links = plan.find(output)->inputs.begin()->second;
  std::vector<Link> through;
  for (std::size_t i = 0; i < links.size(); ++i) {
    if (links[i].isEmpty()) continue;
    const std::string uid = mark + output + std::to_string(i);
    Node n = test::node(uid, kind, params, inputs);
    n.inputs["points"] = {{links[i].node, links[i].output, "s" + uid}};
    plan.nodes.push_back(n);
    through.push_back({uid, kindOf(n)->outputs.front().id, links[i].slot});
  }
  plan.find(output)->inputs.begin()->second = through;
}

std::vector<std::string> outputsOf(const Plan& plan) {
  std::vector<std::string> out;
  for (const Node& n : plan.nodes)
    if (n.kind == "output") out.push_back(n.uid);
  return out;
}

/// Where point i went along the ground: neither straight up or down nor along the normal it stands by.
Vec3 wayAlongGround(const Points& before, const Points& after, std::size_t i) {
  if (after.groundFace[i] == kNoFace) return Vec3(0);
  const Vec3 way = after.position[i] - before.position[i];
  const Vec3 along = way - before.groundNormal[i] * glm::dot(way, before.groundNormal[i]);
  const Vec3 level(way.x, 0, way.z);
  return glm::length(along) < glm::length(level) ? along : level;
}

bool warnsOfMoved(const NodeReport& report) {
  return std::any_of(report.problems.begin(), report.problems.end(),
                     [](const Problem& p) { return p.remedy == Remedy::SetDownLast; });
}

}  // namespace

class TestMoved : public QObject {
  Q_OBJECT

  int m_plans = 0;
  int m_empty = 0;
  // Over all plans: a small one may have none of a sort.
  std::size_t m_stayed = 0;
  std::size_t m_went = 0;
  std::size_t m_bySteps = 0;  // by two steps or more, none of which counts alone

 private Q_SLOTS:
  /// A random plan may thin itself to nothing; most must not.
  void cleanupTestCase() {
    QVERIFY2(m_empty * 3 < m_plans || m_plans < 5, qPrintable(QString::number(m_empty)));
    QVERIFY2(m_plans < 5 || (m_went > 100 && m_stayed > 100 && m_bySteps > 100),
             qPrintable(QStringLiteral("%1 %2 %3").arg(m_went).arg(m_stayed).arg(m_bySteps)));
  }

  void ofRandomPlans_data() {
    QTest::addColumn<int>("seed");
    for (int seed = 100; seed < 110; ++seed) QTest::addRow("plan %d", seed) << seed;
  }
  void ofRandomPlans() {
    QFETCH(int, seed);
    std::mt19937 random(static_cast<unsigned>(seed));
    ++m_plans;
    Plan plan = test::randomPlan(random);
    Evaluator evaluator(std::make_shared<DiskFileService>(test::sourcePath("demo/tern-cove").toStdString()));
    const std::vector<std::string> outputs = outputsOf(plan);

    for (const std::string& output : outputs)
      putBefore(plan, output, "set-down", {{"way", std::string("topmost-along")}, {"reach", 200.0}},
                {{"ground", "ground.surface"}}, "down");
    const Evaluation down = evaluator.evaluate(plan, {});
    std::size_t all = 0;
    for (const std::string& output : outputs) {
      const PointsPtr points = down.firstOf<PointsPtr>(output);
      if (!points) continue;  // a random plan may fail somewhere; its other outputs are asked
      all += points->count;
      QCOMPARE(points->movedCount(), std::size_t{0});
      QVERIFY(!warnsOfMoved(down.reports.at(output)));
    }
    m_empty += all == 0;

    // Moved along the ground by up to 15 cm, raised and sized, then moved twice by less than what counts: what counts
    // is how far a point is from where it was set down, and never how high.
    const auto moves = [](double most) { return std::vector<double>{-most, most}; };
    for (const std::string& output : outputs) {
      putBefore(plan, output, "vary", {{"move_x", moves(0.15)}, {"turn_y", std::vector<double>{0, 360}}}, {},
                "then-far-");
      putBefore(plan, output, "vary", {{"move_y", moves(3)}, {"size", std::vector<double>{0.5, 2}}}, {}, "then-up-");
      for (const char* again : {"then-once-", "then-twice-"})
        putBefore(plan, output, "vary", {{"move_x", moves(0.04)}, {"move_z", moves(0.02)}}, {}, again);
    }
    const Evaluation moved = evaluator.evaluate(plan, {});
    std::map<std::string, std::vector<std::pair<Vec3, float>>> ways;  // all of it, and its longest step
    for (const Node& node : plan.nodes) {
      const auto main = node.inputs.find("points");
      if (!node.uid.starts_with("then-")) continue;
      const PointsPtr before = moved.firstOf<PointsPtr>(main->second.front().node);
      const PointsPtr after = moved.firstOf<PointsPtr>(node.uid);
      if (!before || !after) continue;
      auto& way = ways[node.uid] = ways[main->second.front().node];
      way.resize(after->count);
      for (std::size_t i = 0; i < after->count; ++i) {
        QCOMPARE(after->id[i], before->id[i]);
        const Vec3 step = wayAlongGround(*before, *after, i);
        way[i].first += step;
        way[i].second = std::max(way[i].second, glm::length(step));
        const float far = glm::length(way[i].first);
        if (std::abs(far - kFar) < 1e-3F) continue;
        QVERIFY2((far > kFar) == after->isMoved(i), qPrintable(QString::number(static_cast<double>(far))));
        (far > kFar ? m_went : m_stayed) += 1;
        m_bySteps += far > kFar && way[i].second < kFar;
      }
    }
    for (const std::string& output : outputs)
      if (const PointsPtr points = moved.firstOf<PointsPtr>(output))
        QCOMPARE(warnsOfMoved(moved.reports.at(output)), points->movedCount() > 0);
  }
};

QTEST_GUILESS_MAIN(TestMoved)
#include "tst_moved.moc"
