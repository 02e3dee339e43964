// Libraries of sub-plans: what is kept there comes back the same in any plan, later versions are told and taken, and a
// plan does not need its library.
#include "core/formats/library.h"
#include "core/formats/plan_file.h"
#include "core/plan/making_sub_plan.h"
#include "core/plan/set_param.h"
#include "tests/support/plans.h"

using namespace arvesk;
using namespace arvesk::test;

namespace {

FrontControl control(const std::string& id, ParamValue usual) {
  FrontControl c;
  c.id = c.label = id;
  c.usual = std::move(usual);
  return c;
}

/// Ground, and "crowd": a scatter that is thinned and dressed.
struct Crowd {
  Plan plan = crowdedPlan();
  std::string instance;
  std::string subPlan;
  Crowd() {
    const auto made = makeSubPlan(plan, {"sow", "apart", "dress", "kit"}, "Stone Crowd");
    instance = made->instance;
    subPlan = made->subPlan;
    SubPlan& s = *plan.findSubPlan(subPlan);
    for (Node& node : s.nodes)
      if (node.uid == "apart") node.follows["gap"] = "gap";
    s.fronts = {control("gap", 0.1), control("unused", 3.0)};
    for (Node& node : s.nodes)  // a kit by uid, so that its props must come along
      if (node.uid == "kit") node.params = {{"props", PropChoices{{"boulder-a", 1, true}}}};
    fitSubPlans(plan);
  }
};

std::vector<std::uint64_t> printOf(const Plan& plan, const std::string& uid, const std::string& folder) {
  const Evaluation e = Evaluator(std::make_shared<DiskFileService>(folder)).evaluate(plan, {});
  const auto it = e.values.find(uid);
  return it == e.values.end() ? std::vector<std::uint64_t>() : fingerprint(it->second);
}

}  // namespace

class TestLibrary : public QObject {
  Q_OBJECT

  QTemporaryDir m_dir;
  std::string m_home = sourcePath("demo/tern-cove").toStdString();
  std::string folder(const char* name) { return m_dir.filePath(QLatin1String(name)).toStdString(); }

 private Q_SLOTS:
  void whatIsKeptComesBackTheSame() {
    Crowd crowd;
    const auto file = keepInLibrary(crowd.plan, crowd.subPlan, folder("own"), m_home);
    QVERIFY2(file, file ? "" : toLine(file.error()).c_str());
    QVERIFY(QString::fromStdString(*file).endsWith(QStringLiteral("/stone-crowd.arvesk")));
    // Kept again as it is, nothing of it changes.
    QFile first(QString::fromStdString(*file));
    QVERIFY(first.open(QIODevice::ReadOnly));
    const QByteArray before = first.readAll();
    QVERIFY(keepInLibrary(crowd.plan, crowd.subPlan, folder("own"), m_home));
    first.seek(0);
    QCOMPARE(first.readAll(), before);
    const Library library = readLibrary({{folder("own"), false}, {folder("not there"), true}});
    QCOMPARE(library.tools.size(), std::size_t{1});
    QVERIFY(library.problems.empty());
    const LibraryTool& tool = *library.tools.front();
    QCOMPARE(tool.tool().name, std::string("Stone Crowd"));
    // The file shows it at work, and its controls need no name before them.
    Plan shown = tool.plan;
    QVERIFY(setParamByText(shown, "gap=0.2"));
    const Evaluation e = Evaluator(std::make_shared<DiskFileService>(folder("own"))).evaluate(tool.plan, {});
    for (const auto& [uid, report] : e.reports)
      QVERIFY2(report.state == NodeState::Done, report.problems.empty() ? "" : toLine(report.problems.front()).c_str());
    // In another plan, elsewhere, it gives the same as where it was made, without the library too.
    Plan other = planOf({node("ground", "shape", {{"extent", std::vector<double>{40, 1, 40}}})});
    other.props.clear();
    bringTool(other, tool, m_dir.path().toStdString());
    QCOMPARE(other.props.size(), std::size_t{1});
    Node instance = *crowd.plan.find(crowd.instance);
    instance.inputs.begin()->second.front() = {"ground", "surface", "s"};
    other.nodes.push_back(instance);
    fitSubPlans(other);
    const auto reread = parsePlan(formatPlan(other), {});
    QVERIFY(reread);
    QCOMPARE(printOf(*reread, crowd.instance, m_dir.path().toStdString()), printOf(crowd.plan, crowd.instance, m_home));
    // What is there already stays.
    other.findSubPlan(crowd.subPlan)->name = "Mine";
    bringTool(other, tool, m_dir.path().toStdString());
    QCOMPARE(other.subPlans.size(), std::size_t{1});
    QCOMPARE(other.subPlans.front().name, std::string("Mine"));
  }

  void laterVersionsAreToldAndTaken() {
    Crowd crowd;
    crowd.plan.findSubPlan(crowd.subPlan)->nodes.push_back(node("aside", "way-in", {{"needed", false}}));
    crowd.plan.findSubPlan(crowd.subPlan)->nodes.back().title = "Aside";
    fitSubPlans(crowd.plan);
    Plan author = crowd.plan;
    QVERIFY(keepInLibrary(author, crowd.subPlan, folder("team"), m_home));
    Plan user = crowd.plan;
    Node& instance = *user.find(crowd.instance);
    instance.inputs["aside"] = {{user.nodes.front().uid, "points", "s"}};
    instance.params = {{"gap", 0.25}, {"unused", 7.0}};
    const auto older = printOf(user, crowd.instance, m_home);
    QVERIFY(laterVersions(user, readLibrary({{folder("team"), true}})).empty());
    // The author takes a control away, adds one, and changes what is inside.
    SubPlan& s = *author.findSubPlan(crowd.subPlan);
    std::erase_if(s.fronts, [](const FrontControl& c) { return c.id == "unused"; });
    s.fronts.push_back(control("much", 2.0));
    for (Node& node : s.nodes)
      if (node.uid == "sow") node.follows["density"] = "much";
    std::erase_if(s.nodes, [](const Node& node) { return node.uid == "aside"; });
    s.news = "Fewer";
    fitSubPlans(author);
    QVERIFY(keepInLibrary(author, crowd.subPlan, folder("team"), m_home));
    const Library library = readLibrary({{folder("team"), true}});
    const auto later = laterVersions(user, library);
    QCOMPARE(later.size(), std::size_t{1});
    QCOMPARE(later.front().has, 1);
    QCOMPARE(later.front().there, 2);
    QCOMPARE(later.front().news, std::string("Fewer"));
    QCOMPARE(later.front().gone, (std::vector<std::string>{"unused", "Aside"}));
    // Until it is taken nothing changes.
    QCOMPARE(printOf(user, crowd.instance, m_home), older);
    takeVersion(user, *library.tools.front(), m_home);
    QVERIFY(laterVersions(user, library).empty());
    QCOMPARE(user.find(crowd.instance)->params, (ParamMap{{"gap", 0.25}}));
    QVERIFY(!user.find(crowd.instance)->inputs.contains("aside"));
    QVERIFY(printOf(user, crowd.instance, m_home) != older && !printOf(user, crowd.instance, m_home).empty());
    // A plan that is ahead of its library is told nothing.
    user.findSubPlan(crowd.subPlan)->version = 5;
    QVERIFY(laterVersions(user, library).empty());
  }

  /// A change further in is one of the tool, and comes along when the later version is taken.
  void whatLiesInsideCounts() {
    Crowd crowd;
    const auto outer = makeSubPlan(crowd.plan, {crowd.instance}, "Around it");
    QVERIFY(outer && keepInLibrary(crowd.plan, outer->subPlan, folder("deep"), m_home));
    Plan user = crowd.plan;
    for (Node& node : crowd.plan.findSubPlan(crowd.subPlan)->nodes)
      if (node.uid == "sow") node.params["density"] = 1.0;
    QVERIFY(keepInLibrary(crowd.plan, outer->subPlan, folder("deep"), m_home));
    const Library library = readLibrary({{folder("deep"), true}});
    QCOMPARE(laterVersions(user, library).size(), std::size_t{1});
    takeVersion(user, *library.tools.front(), m_home);
    QCOMPARE(printOf(user, outer->instance, m_home), printOf(crowd.plan, outer->instance, m_home));
    QVERIFY(laterVersions(user, library).empty());
  }

  void whatCannotBeReadIsTold() {
    Crowd crowd;
    QVERIFY(keepInLibrary(crowd.plan, crowd.subPlan, folder("one"), m_home));
    QVERIFY(keepInLibrary(crowd.plan, crowd.subPlan, folder("two"), m_home));
    const auto write = [&](const char* name, const QByteArray& text) {
      QFile file(m_dir.filePath(QStringLiteral("one/") + QLatin1String(name)));
      QVERIFY(file.open(QIODevice::WriteOnly) && file.write(text) >= 0);
    };
    write("broken.arvesk", "{");
    write("a-plan.arvesk", R"({"format":"arvesk-plan"})");
    write("empty.arvesk", R"({"format":"arvesk-plan","tool":"gone"})");
    write("notes.txt", "hello");
    const Library library = readLibrary({{folder("one"), false}, {folder("two"), true}});
    QCOMPARE(library.tools.size(), std::size_t{1});
    QVERIFY(!library.tools.front()->isReadOnly);
    QCOMPARE(library.problems.size(), std::size_t{3});  // broken, of nothing, there twice
    QVERIFY(!keepInLibrary(crowd.plan, "nobody", folder("one"), m_home));
  }
};

QTEST_GUILESS_MAIN(TestLibrary)
#include "tst_library.moc"
