// The sub-plans that come with the program: each works as its file shows it, says what it is, and each of its controls
// does something.
#include "core/formats/library.h"
#include "core/plan/making_sub_plan.h"
#include "tests/support/kinds.h"

using namespace arvesk;
using namespace arvesk::test;

namespace {

std::string folder() { return sourcePath("demo/sub-plans").toStdString(); }

Evaluation evaluated(const Plan& plan, Quality quality = Quality::Final) {
  static const auto files = std::make_shared<DiskFileService>(folder());
  EvalRequest request;
  request.quality = quality;
  return Evaluator(files).evaluate(plan, request);
}

std::vector<std::uint64_t> printOf(const Evaluation& e, const std::string& uid) {
  const PointsPtr points = e.firstOf<PointsPtr>(uid);
  return points ? fingerprint(points) : std::vector<std::uint64_t>();
}

/// Another value that shows.
ParamValue another(const FrontControl& c, const ParamValue& now) {
  const auto at = [&](double share) { return c.usualLeast + (c.usualMost - c.usualLeast) * share; };
  switch (c.type) {
    case ParamType::Number: return std::abs(std::get<double>(now) - at(0.7)) > 1e-6 ? at(0.7) : at(0.2);
    case ParamType::Integer: return std::floor(at(0.3)) + 1;
    case ParamType::Range: return std::vector<double>{at(0.1), at(0.75)};
    case ParamType::Band: return std::vector<double>{at(0), at(0.01), at(0.02), at(0.03)};
    case ParamType::Toggle: return !std::get<bool>(now);
    case ParamType::Choice: return c.options[c.options[0].id == std::get<std::string>(now) ? 1 : 0].id;
    case ParamType::Text: return std::string("nothing_*");
    default: return now;
  }
}

}  // namespace

class TestStarterLibrary : public QObject {
  Q_OBJECT

  Library m_library = readLibrary({{folder(), true}});

  void everyTool() {
    QTest::addColumn<int>("number");
    for (std::size_t i = 0; i < m_library.tools.size(); ++i)
      QTest::newRow(m_library.tools[i]->tool().name.c_str()) << static_cast<int>(i);
  }
  const LibraryTool& tool() {
    QFETCH(int, number);
    return *m_library.tools[static_cast<std::size_t>(number)];
  }

 private Q_SLOTS:
  void thereAreEleven() {
    QVERIFY(m_library.problems.empty());
    QCOMPARE(m_library.tools.size(), std::size_t{11});
    QCOMPARE(QString::fromStdString(shippedLibrary()), QDir::cleanPath(QString::fromStdString(folder())));
  }

  void itSaysWhatItIs_data() { everyTool(); }
  void itSaysWhatItIs() {
    const SubPlan& s = tool().tool();
    QVERIFY(tool().plan.origin.problems.empty());
    QVERIFY(s.help.size() > 40 && !s.sentence.empty() && !s.category.empty() && !s.tags.empty());
    QVERIFY(!s.author.empty() && !s.license.empty());
    const NodeKind& kind = *s.made.kind;
    QVERIFY(!QString::fromStdString(kind.sentence({})).contains(QLatin1Char('{')));  // each name is a control's
    for (const InputSpec& in : kind.inputs) QVERIFY2(in.help.size() > 8, in.label.c_str());
    for (const FrontControl& c : s.fronts)
      QVERIFY2(c.help.size() > 8 && faultOf(specOf(c), c.usual).empty(), c.id.c_str());
    QVERIFY(!tool().plan.settings.cameras.empty());
  }

  void itWorksAsItsFileShowsIt_data() { everyTool(); }
  void itWorksAsItsFileShowsIt() {
    const Plan& plan = tool().plan;
    const Evaluation final = evaluated(plan);
    const Evaluation draft = evaluated(plan, Quality::Draft);
    for (const Evaluation* e : {&final, &draft})
      for (const auto& [uid, report] : e->reports)
        QVERIFY2(report.state == NodeState::Done && report.problems.empty(),
                 report.problems.empty() ? uid.c_str() : toLine(report.problems.front()).c_str());
    const PointsPtr all = final.firstOf<PointsPtr>("shown");
    const PointsPtr some = draft.firstOf<PointsPtr>("shown");
    QVERIFY(all && some && all->count > 3 && some->count <= all->count && all->kit);
    std::set<std::uint64_t> ids;
    for (std::size_t i = 0; i < all->count; ++i) {
      QVERIFY(ids.insert(all->id[i]).second);
      QVERIFY(all->prop[i] != kNoProp);
    }
    for (std::size_t i = 0; i < some->count; ++i) QVERIFY(ids.contains(some->id[i]));
    // A second use is apart from the first.
    Plan twice = plan;
    Node second = *twice.find("shown");
    second.uid = "second";
    twice.nodes.push_back(second);
    const PointsPtr other = evaluated(twice).firstOf<PointsPtr>("second");
    QVERIFY(other && other->count > 0);
    if (tool().tool().made.kind->usesSeed && !tool().tool().made.kind->inputs.empty())
      for (std::size_t i = 0; i < other->count; ++i) QVERIFY(!ids.contains(other->id[i]));
    // Taken apart it is the same.
    Plan apart = plan;
    QVERIFY(takeApart(apart, "shown"));
    QCOMPARE(printOf(evaluated(apart), "out"), printOf(final, "out"));
  }

  void everyControlDoesSomething_data() { everyTool(); }
  void everyControlDoesSomething() {
    const Plan& plan = tool().plan;
    const auto before = printOf(evaluated(plan), "shown");
    for (const FrontControl& c : tool().tool().fronts) {
      if (c.type == ParamType::File) continue;
      Plan changed = plan;
      Node& shown = *changed.find("shown");
      shown.params[c.id] = another(c, valueOf(shown, c));
      QVERIFY2(faultOf(specOf(c), shown.params[c.id]).empty(), c.id.c_str());
      const Evaluation e = evaluated(changed);
      QVERIFY2(printOf(e, "shown") != before, c.id.c_str());
    }
  }

  /// Where something is missing, its author's words say so.
  void whatIsMissingIsSaid_data() { everyTool(); }
  void whatIsMissingIsSaid() {
    const SubPlan& s = tool().tool();
    for (const Node& way : s.nodes) {
      const auto words = way.params.find("words");
      if (way.kind != kWayIn || words == way.params.end()) continue;
      Plan bare = tool().plan;
      bare.find("shown")->inputs.erase(way.uid);
      const Evaluation e = evaluated(bare);
      const NodeReport& report = e.reports.at("shown");
      QCOMPARE(report.state, NodeState::Failed);
      QCOMPARE(report.problems.front().message, std::get<std::string>(words->second));
    }
    for (const SubPlanCheck& check : s.checks) {  // the only one: children that are not there
      Plan none = tool().plan;
      none.find("shown")->params["children"] = std::string("nobody");
      const auto problems = evaluated(none).reports.at("shown").problems;
      QVERIFY(
          std::any_of(problems.begin(), problems.end(), [&](const Problem& p) { return p.message == check.words; }));
    }
  }
};

QTEST_GUILESS_MAIN(TestStarterLibrary)
#include "tst_starter_library.moc"
