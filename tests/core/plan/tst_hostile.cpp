// Plans as nobody should write them: values of every wrong sort and size, broken structure, chains and loops of
// thousands of nodes, masks that are used over and over.
#include "core/formats/plan_file.h"
#include "core/plan/plan_index.h"
#include "core/plan/set_param.h"
#include "tests/support/plans.h"

#include <tbb/global_control.h>

#include <cmath>

using namespace arvesk;

namespace {

std::shared_ptr<DiskFileService> files() {
  return std::make_shared<DiskFileService>(test::sourcePath("demo/tern-cove").toStdString());
}

const char* const kWrong[] = {"5",
                              "-1e300",
                              "1e300",
                              "2.5",
                              "\"\"",
                              "\"no such thing\"",
                              "true",
                              "null",
                              "{}",
                              "[]",
                              "[1]",
                              "[1e300,1e300,1e300]",
                              "[1,\"a\",3]",
                              "[[1,2]]",
                              "[{}]",
                              "[true]",
                              "{\"a\":{}}",
                              "[1e300,-1e300]",
                              "[4,3,2,1]",
                              "[{\"prop\":\"p\",\"weight\":-1e300,\"on\":true}]",
                              "[{\"prop\":5}]",
                              "[1e308,1e308,1e308,1e308,1e308,1e308]"};

std::string planText(const std::string& nodes, const std::string& more = {}) {
  return R"({"format":"arvesk-plan","version":1,"nodes":[)" + nodes + "]" + (more.empty() ? "" : "," + more) + "}";
}
std::string nodeText(const std::string& kind, const std::string& more) {
  return R"({"uid":"n","kind":")" + kind + R"(","version":)" + std::to_string(findNodeKind(kind)->version) +
         R"(,"title":"N")" + (more.empty() ? "" : "," + more) + "}";
}

/// Does every number lie where it can be shown and drawn?
void verifyPossible(const Plan& plan) {
  for (const Node& n : plan.nodes) {
    QVERIFY(std::abs(n.x) <= 1e6 && std::abs(n.y) <= 1e6);
    const NodeKind* kind = kindOf(n);
    for (const auto& [id, value] : n.params) {
      const ParamSpec* spec = kind->findParam(id);
      if (spec->type != ParamType::Text) QVERIFY2(faultOf(*spec, value).empty(), faultOf(*spec, value).c_str());
    }
  }
  for (const CameraEntry& c : plan.settings.cameras) {
    QVERIFY(glm::all(glm::lessThanEqual(glm::abs(c.eye), Vec3(1e7F))) && c.eye != c.target);
    QVERIFY(c.fieldOfViewDeg >= 1 && c.fieldOfViewDeg <= 170);
  }
  for (const PropEntry& p : plan.props) QVERIFY(p.unitScale > 0 && p.size > 0 && p.weight >= 0);
  const PlanSettings& s = plan.settings;
  QVERIFY(s.draftShare >= 0 && s.draftShare <= 1 && s.hazeDistance > 0 && std::abs(s.sunHeightDeg) <= 90);
}

/// `count` nodes of one kind, each given the one before.
Plan chainOf(const NodeKind& kind, std::size_t count) {
  Plan plan;
  for (std::size_t i = 0; i < count; ++i) {
    Node n;
    n.uid = std::to_string(i);
    n.kind = kind.id;
    n.version = kind.version;
    if (i > 0)
      for (const InputSpec& input : kind.inputs)
        if (input.takes(kind.outputs.front().type))
          n.inputs[input.id] = {{std::to_string(i - 1), kind.outputs.front().id, n.uid}};
    plan.nodes.push_back(std::move(n));
  }
  return plan;
}

}  // namespace

class TestHostile : public test::EveryKind {
  Q_OBJECT

 private Q_SLOTS:
  /// Every parameter of every kind, given everything that it may not be: what cannot be is set aside and told by the
  /// node, is written back as it was, and holds until the parameter is set.
  void noValueIsTooWrongForAParameter_data() { everyKind(); }
  void noValueIsTooWrongForAParameter() {
    std::size_t refused = 0;
    for (const ParamSpec& spec : kind().params)
      for (const char* wrong : kWrong) {
        const std::string text = planText(nodeText(kind().id, "\"params\":{\"" + spec.id + "\":" + wrong + "}"));
        auto plan = parsePlan(text, "here");
        QVERIFY2(plan, (text + ": " + (plan ? "" : toLine(plan.error()))).c_str());
        verifyPossible(*plan);
        QCOMPARE(formatPlan(*plan), text);
        Node& node = plan->nodes.front();
        (void)kind().sentence(node.params);
        if (node.refused.empty()) continue;
        ++refused;
        QVERIFY(!node.params.contains(spec.id));
        const Evaluation e = Evaluator(files()).evaluate(*plan, {});
        QCOMPARE(e.reports.at("n").state, NodeState::Failed);
        QCOMPARE(e.reports.at("n").problems.front().message, node.refusal());
        QVERIFY(!checkPlan(*plan).empty());
        // Another change leaves it as it was in the file; setting it heals.
        node.title = "Renamed";
        const auto again = parsePlan(formatPlan(*plan), "again");
        QVERIFY(again && again->nodes == plan->nodes);
        node.params[spec.id] = spec.defaultValue;
        QVERIFY(node.refusal().empty());
        QVERIFY(parsePlan(formatPlan(*plan), "again")->nodes.front().refused.empty());
      }
    QVERIFY(refused > 0 || kind().params.empty());
  }

  /// The same for all that is no parameter: either the document is refused with a reason, or every value is possible
  /// and what was changed is told.
  void noValueIsTooWrongForTheRest_data() {
    QTest::addColumn<QString>("before");
    QTest::addColumn<QString>("after");
    const auto row = [](const char* name, const QString& before, const QString& after) {
      QTest::newRow(name) << before << after;
    };
    for (const char* key : {"version", "title", "at", "skipped", "folded", "seed", "seed_locked", "params", "inputs",
                            "follows", "keys", "mood"})
      row(key,
          QStringLiteral(R"({"format":"arvesk-plan","nodes":[{"uid":"n","kind":"vary","%1":)").arg(QLatin1String(key)),
          QStringLiteral("}]}"));
    for (const char* key :
         {"name", "unit_scale", "z_up", "pivot", "common_height", "size", "turn", "footprint", "base", "weight", "tags",
          "crease", "massing", "massing_triangles", "massing_shown", "mounts", "values"})
      row(qPrintable(QStringLiteral("prop ") + QLatin1String(key)),
          QStringLiteral(R"({"format":"arvesk-plan","props":[{"uid":"p","file":"p.glb","%1":)").arg(QLatin1String(key)),
          QStringLiteral("}]}"));
    for (const char* key : {"seed", "draft_share", "water_level", "sun_heading", "sun_height", "haze_distance",
                            "cameras", "budgets", "time"})
      row(qPrintable(QStringLiteral("settings ") + QLatin1String(key)),
          QStringLiteral(R"({"format":"arvesk-plan","settings":{"%1":)").arg(QLatin1String(key)), QStringLiteral("}}"));
    for (const char* key : {"name", "eye", "target", "field_of_view", "sun_heading"})
      row(qPrintable(QStringLiteral("camera ") + QLatin1String(key)),
          QStringLiteral(R"({"format":"arvesk-plan","settings":{"cameras":[{"eye":[1,2,3],"target":[0,0,0],"%1":)")
              .arg(QLatin1String(key)),
          QStringLiteral("}]}}"));
    for (const char* key : {"sort", "text", "at", "extent"})
      row(qPrintable(QStringLiteral("note ") + QLatin1String(key)),
          QStringLiteral(R"({"format":"arvesk-plan","paper":[{"uid":"w","%1":)").arg(QLatin1String(key)),
          QStringLiteral("}]}"));
    for (const char* key : {"first", "last", "rate"})
      row(qPrintable(QStringLiteral("time ") + QLatin1String(key)),
          QStringLiteral(R"({"format":"arvesk-plan","settings":{"time":{"%1":)").arg(QLatin1String(key)),
          QStringLiteral("}}}"));
    for (const char* key : {"before", "after", "at"})
      row(qPrintable(QStringLiteral("keys ") + QLatin1String(key)),
          QStringLiteral(R"({"format":"arvesk-plan","nodes":[{"uid":"n","kind":"vary","keys":{"tilt":{"%1":)")
              .arg(QLatin1String(key)),
          QStringLiteral("}}}]}"));
    for (const char* key : {"frame", "value", "easing", "leaves", "reaches"})
      row(qPrintable(QStringLiteral("key ") + QLatin1String(key)),
          QStringLiteral(R"({"format":"arvesk-plan","dials":[{"uid":"d","name":"way","keys":{"at":[)"
                         R"({"frame":1,"value":2},{"frame":3,"value":4,"easing":"free","%1":)")
              .arg(QLatin1String(key)),
          QStringLiteral("}]}}]}"));
    for (const char* key : {"draft", "final", "name", "keys"})
      row(qPrintable(QStringLiteral("dial ") + QLatin1String(key)),
          QStringLiteral(R"({"format":"arvesk-plan","dials":[{"uid":"d","name":"way","%1":)").arg(QLatin1String(key)),
          QStringLiteral("}]}"));
    for (const char* key : {"name", "sentence", "help", "author", "license", "tags", "category", "news", "version",
                            "fronts", "checks", "nodes", "paper", "mood"})
      row(qPrintable(QStringLiteral("sub-plan ") + QLatin1String(key)),
          QStringLiteral(R"({"format":"arvesk-plan","sub_plans":[{"uid":"s","nodes":[],"%1":)").arg(QLatin1String(key)),
          QStringLiteral("}]}"));
    for (const char* type : {"number", "choice", "band", "props"})
      for (const char* key :
           {"id", "type", "label", "help", "group", "unit", "least", "most", "usual_least", "usual_most", "step",
            "options", "form", "file_kind", "shown_by", "shown_for", "usual", "mood"})
        row(qPrintable(QStringLiteral("front %1 %2").arg(QLatin1String(type), QLatin1String(key))),
            QStringLiteral(R"({"format":"arvesk-plan","nodes":[{"uid":"n","kind":"sub-plan","of":"s"}],)"
                           R"("sub_plans":[{"uid":"s","nodes":[],"fronts":[{"id":"f","type":"%1","%2":)")
                .arg(QLatin1String(type), QLatin1String(key)),
            QStringLiteral("}]}]}"));
    for (const char* key : {"of", "inside", "params", "inputs", "follows", "keys", "version", "seed"})
      row(qPrintable(QStringLiteral("instance ") + QLatin1String(key)),
          QStringLiteral(R"({"format":"arvesk-plan","sub_plans":[{"uid":"s","nodes":[{"uid":"i","kind":"way-in"}],)"
                         R"("fronts":[{"id":"a","type":"number"}]}],)"
                         R"("nodes":[{"uid":"n","kind":"sub-plan","of":"s","%1":)")
              .arg(QLatin1String(key)),
          QStringLiteral("}]}"));
    for (const char* key : {"nodes", "props", "dials", "paper", "sub_plans", "settings", "version"})
      row(qPrintable(QStringLiteral("plan ") + QLatin1String(key)),
          QStringLiteral(R"({"format":"arvesk-plan","%1":)").arg(QLatin1String(key)), QStringLiteral("}"));
  }
  void noValueIsTooWrongForTheRest() {
    QFETCH(QString, before);
    QFETCH(QString, after);
    for (const char* wrong : kWrong) {
      const auto plan = parsePlan((before + QLatin1String(wrong) + after).toStdString(), "here");
      if (!plan) {
        QVERIFY2(plan.error().message.size() > 20 && !plan.error().message.ends_with(": "),
                 plan.error().message.c_str());
        continue;
      }
      verifyPossible(*plan);
      const auto again = parsePlan(formatPlan(*plan), "again");
      QVERIFY(again && *again == *plan);
      // What stands in the place of something else is told: unchanged, the values come back as they were written.
      if (plan->isReadOnly) continue;
      Plan bare = *plan;
      bare.origin = {};
      const auto plain = parsePlan(formatPlan(bare), "plain");
      QVERIFY2(plain && *plain == *plan && plain->origin.problems.empty(), wrong);
    }
  }

  void whatWasPutRightIsTold() {
    const auto plan = parsePlan(
        planText(
            R"({"uid":"a","kind":"vary","title":"Small","at":[1e300,0]},{"uid":"a","kind":"vary"},{"uid":"","kind":"vary"})",
            R"("settings":{"cameras":[{"name":"far","eye":[1e20,0,0],"target":[0,0,0]}],"draft_share":7})"),
        "here");
    QVERIFY(plan);
    QStringList said;
    for (const Problem& p : checkPlan(*plan)) said.push_back(QString::fromStdString(toLine(p)));
    for (const char* part : {"Small: \"at\" cannot be [1e+300,0]; 0, 0 stands", "camera 1: \"eye\" cannot be",
                             "\"draft_share\" cannot be 7; 1 stands", "the uid \"a\" is used by two nodes",
                             "the uid \"\" is used by two nodes"})
      QVERIFY2(said.filter(QLatin1String(part)).size() == 1,
               qPrintable(QLatin1String(part) + said.join(QLatin1Char('\n'))));
    QCOMPARE(std::set<std::string>({plan->nodes[0].uid, plan->nodes[1].uid, plan->nodes[2].uid}).size(),
             std::size_t{3});
  }

  /// Deep nesting is refused before anybody walks through it, wherever it stands.
  void nestingIsBounded() {
    for (const int depth : {99, 1000, 100'000}) {
      const auto n = static_cast<std::size_t>(depth);
      const std::string nest = std::string(n, '[') + std::string(n, ']');
      for (const std::string& text : {planText("", "\"odd\":" + nest),
                                      planText(nodeText("vary", "\"params\":{\"amount\":" + nest + "}")), nest}) {
        const auto plan = parsePlan(text, "here");
        QVERIFY(!plan || (depth < 100 && !formatPlan(*plan).empty()));
        if (depth > 100) QVERIFY(plan.error().message.find("nested") != std::string::npos);
      }
    }
    // Brackets in a text are no nesting.
    QVERIFY(parsePlan(planText(nodeText("vary", "\"mood\":\"" + std::string(5000, '[') + "\\\"{\"")), "here"));
  }

  /// A link to a node that is gone is no empty place: nothing is placed as though there had been no mask.
  void aLinkToNowhereFails() {
    Plan plan = test::crowdedPlan();
    plan.find("sow")->inputs["where"] = {{"gone", "mask", "s"}};
    const Evaluation e = Evaluator(files()).evaluate(plan, {});
    QCOMPARE(e.reports.at("sow").state, NodeState::Failed);
    QVERIFY(e.reports.at("sow").problems.front().message.find("not there (gone)") != std::string::npos);
  }

  /// A chain of thousands of any kind that can be chained ends: with a result or with words, on a stack of 1 MB.
  void chainsOfAnyKindEnd_data() {
    QTest::addColumn<QString>("id");
    for (const NodeKind* k : allNodeKinds())
      if (!k->outputs.empty() && std::any_of(k->inputs.begin(), k->inputs.end(),
                                             [&](const InputSpec& i) { return i.takes(k->outputs[0].type); }))
        QTest::newRow(k->id.c_str()) << QString::fromStdString(k->id);
  }
  void chainsOfAnyKindEnd() {
    const tbb::global_control small(tbb::global_control::thread_stack_size, std::size_t{1} << 20);
    const Plan plan = chainOf(kind(), 3000);
    (void)checkPlan(plan);
    const Evaluation e = Evaluator(files()).evaluate(plan, {});
    QCOMPARE(e.reports.size(), plan.nodes.size());
    // With something at the beginning, and looked at at the end.
    Plan fed = chainOf(kind(), 600);
    for (const InputSpec& input : kind().inputs) {
      if (!input.takes(kind().outputs.front().type) && input.isOptional) continue;
      const char* source = input.type == ValueType::Surface  ? "shape"
                           : input.type == ValueType::Points ? "sow-on-surface"
                           : input.type == ValueType::Mask   ? "noise"
                           : input.type == ValueType::Volume ? "space-over-ground"
                                                             : nullptr;
      if (!source || !findNodeKind(source)) continue;
      Node n = test::node("begin-" + input.id, source, {});
      if (n.kind == "sow-on-surface") {
        n.params["density"] = 0.01;
        n.inputs["surface"] = {{"floor", "surface", "s"}};
      }
      if (n.kind == "space-over-ground") n.inputs["ground"] = {{"floor", "surface", "s"}};
      fed.nodes.front().inputs[input.id] = {{n.uid, kindOf(n)->outputs.front().id, "s"}};
      if (input.isMany && input.takes(kind().outputs.front().type))  // so that each adds something
        for (std::size_t i = 1; i < 40; ++i)
          fed.nodes[i].inputs[input.id].push_back({n.uid, kindOf(n)->outputs.front().id, "too"});
      fed.nodes.push_back(std::move(n));
    }
    Node sow = test::node("sow", "sow-on-surface", {{"density", 0.05}});
    fed.nodes.push_back(test::node("floor", "shape"));
    sow.inputs["surface"] = {{"floor", "surface", "s"}};
    if (kind().outputs.front().type == ValueType::Mask) sow.inputs["where"] = {{"599", kind().outputs.front().id, "s"}};
    fed.nodes.push_back(sow);
    if (kind().outputs.front().type == ValueType::Volume) {
      fed.nodes.push_back(test::node("fill", "sow-in-volume", {{"density", 0.001}}));
      fed.nodes.back().inputs["volume"] = {{"599", kind().outputs.front().id, "s"}};
    }
    const Evaluation f = Evaluator(files()).evaluate(fed, {});
    QCOMPARE(f.reports.size(), fed.nodes.size());
    for (const auto& [uid, report] : f.reports) QVERIFY(report.state == NodeState::Done || !report.problems.empty());
  }

  /// 10,000 nodes in a row, and as many on one loop, are sorted, checked and worked out.
  void tenThousandInARow() {
    Plan plan = chainOf(*findNodeKind("vary"), 10'000);
    plan.nodes.front().inputs["points"] = {{"sow", "points", "s"}};
    plan.nodes.push_back(test::node("ground", "shape"));
    plan.nodes.push_back(test::node("sow", "sow-on-surface", {{"density", 0.02}}, {{"surface", "ground.surface"}}));
    QVERIFY(checkPlan(plan).empty());
    const Evaluation e = Evaluator(files()).evaluate(plan, {});
    QCOMPARE(e.reports.at("9999").state, NodeState::Done);
    QCOMPARE(e.reports.at("9999").passed.front(), e.reports.at("sow").passed.front());
    plan.find("0")->inputs["points"] = {{"9999", "points", "s"}};
    std::size_t loops = 0;
    for (const Problem& p : checkPlan(plan)) loops += p.code == ProblemCode::Loop;
    QCOMPARE(loops, std::size_t{10'000});
    QCOMPARE(Evaluator(files()).evaluate(plan, {}).reports.at("0").problems.front().code, ProblemCode::Loop);
  }

  /// The order against its definition, on random graphs with loops: sources first, and exactly what reaches itself is
  /// looped.
  void theOrderIsRight() {
    std::mt19937 random(7);
    for (int trial = 0; trial < 300; ++trial) {
      const int count = 2 + static_cast<int>(random() % 12);
      Plan plan;
      std::vector<std::vector<bool>> reaches(static_cast<std::size_t>(count),
                                             std::vector<bool>(static_cast<std::size_t>(count)));
      for (int i = 0; i < count; ++i) plan.nodes.push_back(test::node(std::to_string(i), "merge"));
      const auto links = random() % static_cast<std::size_t>(2 * count);
      for (std::size_t k = 0; k < links; ++k) {
        const auto to = random() % static_cast<unsigned>(count);
        const auto from = random() % static_cast<unsigned>(count);
        plan.nodes[to].inputs["points"].push_back({std::to_string(from), "points", std::to_string(k)});
        reaches[to][from] = true;
      }
      for (std::size_t k = 0; k < reaches.size(); ++k)
        for (std::size_t i = 0; i < reaches.size(); ++i)
          for (std::size_t j = 0; j < reaches.size(); ++j)
            if (reaches[i][k] && reaches[k][j]) reaches[i][j] = true;
      const PlanIndex index(plan);
      PlanOrder order(index);
      for (const Node& n : plan.nodes) order.add(n);
      QCOMPARE(order.nodes().size(), plan.nodes.size());
      std::map<const Node*, std::size_t> place;
      for (std::size_t i = 0; i < order.nodes().size(); ++i) place[order.nodes()[i]] = i;
      for (std::size_t i = 0; i < reaches.size(); ++i) {
        QCOMPARE(order.isLooped(plan.nodes[i]), static_cast<bool>(reaches[i][i]));
        for (std::size_t j = 0; j < reaches.size(); ++j)
          if (reaches[i][j] && !reaches[j][i]) QVERIFY(place[&plan.nodes[j]] < place[&plan.nodes[i]]);
      }
    }
  }

  /// What was not changed is written as it was, down to the byte; numbers that were not changed stay as they stood.
  void savingChangesNothingElse() {
    const std::string text = R"({ "format" : "arvesk-plan", "version":1,
 "settings":{"sun_height":20.0,"sun_heading":20,"haze_distance":6e2},
 "nodes":[{"kind":"vary","uid":"b","params":{"amount":50.0}},{"uid":"a","kind":"vary","params":{"amount":50}}]})";
    auto plan = parsePlan(text, "here");
    QVERIFY(plan);
    QCOMPARE(formatPlan(*plan), text);
    Plan changed = *plan;
    changed.nodes[1].title = "Other";
    std::swap(changed.nodes[0], changed.nodes[1]);
    const QString out = QString::fromStdString(formatPlan(changed)).remove(QLatin1Char(' '));
    for (const char* part : {"\"sun_height\":20.0", "\"sun_heading\":20,", "\"haze_distance\":600.0"})
      QVERIFY2(out.contains(QLatin1String(part)), qPrintable(out));
    QVERIFY(out.indexOf(QStringLiteral("\"uid\":\"a\"")) < out.indexOf(QStringLiteral("\"uid\":\"b\"")));
    QCOMPARE(out.count(QStringLiteral("\"amount\":50}")), 1);
    QCOMPARE(out.count(QStringLiteral("50.0")), 1);
    changed.nodes[1] = plan->nodes[0];
    std::swap(changed.nodes[0], changed.nodes[1]);
    changed.nodes[1].title.clear();
    QCOMPARE(formatPlan(changed), text);  // changed back
  }
};

QTEST_APPLESS_MAIN(TestHostile)
#include "tst_hostile.moc"
