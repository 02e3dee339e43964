// Hashing, draws, bands, patterns: the ground that identities and randomness stand on.
#include "core/base/band.h"
#include "core/base/number_text.h"
#include "core/base/pattern.h"
#include "core/base/random.h"
#include "core/base/utf8.h"
#include "core/base/vec.h"
#include "core/plan/params.h"
#include "tests/support/support.h"

#include <random>
#include <set>

using namespace arvesk;
using test::within;

class TestBase : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  // Whatever a name is made of, it can be typed so that it fits and no other does, alone and among others.
  void everyNameCanBeTyped() {
    std::mt19937 random(4);
    const std::string letters = "ab;*? \"";
    std::set<std::string> names{"", " ", "*", "\"", "a;b", "a\"\"b"};
    while (names.size() < 300) {
      std::string name;
      for (std::size_t n = random() % 6; n-- > 0;) name += letters[random() % letters.size()];
      names.insert(name);
    }
    for (const std::string& name : names)
      for (const std::string& typed : {asLiteral(name), asTyped(name)}) {
        const Patterns alone(typed);
        const Patterns among("x?; " + typed + " ;\"y\"");
        for (const std::string& other : names) {
          QVERIFY2(alone.match(other) == (other == name), (typed + " and " + other).c_str());
          QVERIFY2(among.match(other) == (other == name), (typed + " and " + other).c_str());
        }
        QVERIFY(among.match("xb") && among.match("y"));
      }
    QCOMPARE(asTyped("wear"), std::string("wear"));
  }

  // Taking one name in or out changes what is meant by that one alone, also where * or ? covers it.
  void oneNameIsTakenInOrOut() {
    std::mt19937 random(9);
    const std::vector<std::string> names{"a", "b", "ab", "aab", "b a", "*", "a;b", "\"", ""};
    const std::vector<std::string> wide{"*", "a*", "?", "?b", "*a*", "none"};
    for (int round = 0; round < 2000; ++round) {
      std::string typed;
      for (std::size_t n = random() % 4; n-- > 0;)
        typed += (random() % 2 ? wide[random() % wide.size()] : asTyped(names[random() % names.size()])) + ";";
      const std::string& name = names[random() % names.size()];
      const Patterns before(typed);
      const Patterns after(before.toggled(name, names));
      for (const std::string& other : names)
        QVERIFY2(after.match(other) == (before.match(other) != (other == name)),
                 (typed + " and " + name + ": " + before.toggled(name, names)).c_str());
    }
  }

  // The first outputs of SplitMix64 seeded with 0, as published with the algorithm (Vigna, splitmix64.c) and used by
  // many test suites.
  void mix64GivesTheKnownSequence() {
    QCOMPARE(mix64(0), 0xe220a8397b1dcdafULL);
    QCOMPARE(mix64(0x9e3779b97f4a7c15ULL), 0x6e789e6aa1b965f4ULL);
    QCOMPARE(mix64(2 * 0x9e3779b97f4a7c15ULL), 0x06c45d188009454fULL);
  }

  void drawsAreUniformAndIndependentOfPurpose() {
    const Draw a(1, 2, 3, "a");
    const Draw b(1, 2, 3, "b");
    constexpr int kCount = 200000;
    double sum = 0;
    double product = 0;
    std::array<int, 10> bins{};
    for (std::uint64_t i = 0; i < kCount; ++i) {
      const double u = static_cast<double>(a.unit(i));
      QVERIFY(u >= 0 && u < 1);
      sum += u;
      product += (u - 0.5) * (static_cast<double>(b.unit(i)) - 0.5);
      ++bins[static_cast<std::size_t>(u * 10)];
    }
    // Five standard deviations of a mean of uniforms, and of a product of two.
    QVERIFY(within(sum / kCount, 0.5, 5 * std::sqrt(1.0 / 12 / kCount)));
    QVERIFY(within(product / kCount, 0, 5.0 / 12 / std::sqrt(kCount)));
    double chiSquare = 0;
    for (const int n : bins) chiSquare += std::pow(n - kCount / 10.0, 2) / (kCount / 10.0);
    QVERIFY2(chiSquare < 33.7,
             "chi-square with 9 degrees of freedom, 0.01 % point 33.72 (NIST/SEMATECH e-Handbook, table 1.3.6.7.4)");
  }

  void bandIsOneInsideZeroOutsideAndHalfwayAtTheMiddleOfAnEdge() {
    const Band band{10, 20, 30, 50};
    QCOMPARE(band.weight(9.9F), 0.0F);
    QCOMPARE(band.weight(20), 1.0F);
    QCOMPARE(band.weight(30), 1.0F);
    QCOMPARE(band.weight(15), 0.5F);
    QCOMPARE(band.weight(40), 0.5F);
    QCOMPARE(band.weight(50), 0.0F);
    QCOMPARE(band.weight(std::numeric_limits<float>::quiet_NaN()), 0.0F);
    const Band hard{0, 0, 1, 1};
    QCOMPARE(hard.weight(0), 1.0F);
    QCOMPARE(hard.weight(1), 1.0F);
    QCOMPARE(hard.weight(1.0001F), 0.0F);
  }

  // Well-formed and ill-formed bytes after table 3-7 of the Unicode Standard 15.0.
  void namesBecomeUtf8() {
    for (const char* good :
         {"", "plain", "gr\xc3\xbcn", "\xe2\x82\xac", "\xf0\x9f\x8c\xb1", "\xed\x9f\xbf", "\xf4\x8f\xbf\xbf"}) {
      QVERIFY(isUtf8(good));
      QCOMPARE(asUtf8(good), std::string(good));
    }
    for (const char* bad : {"\x80", "\xc0\xaf", "\xc3", "\xe0\x9f\xbf", "\xed\xa0\x80", "\xf0\x8f\xbf\xbf",
                            "\xf4\x90\x80\x80", "\xf5\x80\x80\x80", "\xe2\x82", "a\xff"}) {
      QVERIFY(!isUtf8(bad));
      QVERIFY(isUtf8(asUtf8(bad)));
    }
    QCOMPARE(asUtf8("gr\xfcn"), std::string("gr\xc3\xbcn"));
    QCOMPARE(asUtf8("\xe9t\xe9 1"), std::string("\xc3\xa9t\xc3\xa9 1"));
  }

  // Numbers are read as a whole or not at all, with a point whatever the machine's language.
  void numbersTyped() {
    QCOMPARE(numberIn(" -1.5e2 ").value(), -150.0);
    QCOMPARE(numberIn<float>("0.25").value(), 0.25F);
    for (const char* bad : {"", " ", "1,5", "1.5 m", "nan", "inf", "1e999", "0x10", "--1"})
      QVERIFY2(!numberIn(bad), bad);
  }

  // Numbers told: in groups, written out, and nothing else touched.
  void numbersTold() {
    const std::vector<std::pair<const char*, const char*>> known{
        {"12345 points found no ground within 2.5 m", "12,345 points found no ground within 2.5 m"},
        {"is 1e+06, must be 0 to 1e+09", "is 1,000,000, must be 0 to 1,000,000,000"},
        {"would make 1234567890 points", "would make 1,234,567,890 points"},
        {"is 4096 × 21600 pixels; (12345).", "is 4096 × 21,600 pixels; (12,345)."},
        {"where Tile 1001, Storm 2024", "where Tile 1001, Storm 2024"},
        {"4,294,967,280 at most", "4,294,967,280 at most"},
        {"\"12345\" is not a color such as #123456", "\"12345\" is not a color such as #123456"},
        {"rock_12345, tern-2048.png and 10240.exr", "rock_12345, tern-2048.png and 10240.exr"},
        {"at 12345.678, 0.00012345", "at 12,345.678, 0.00012345"},
        {"version 1.22474.3, 2026-11-29, at 12345:30", "version 1.22474.3, 2026-11-29, at 12345:30"},
        {"1e+300 and 1e-07", "1e+300 and 1e-07"},
        {"−12345 m", "−12,345 m"},
        {"", ""}};
    for (const auto& [plain, told] : known) {
      QCOMPARE(withGroupedNumbers(plain), std::string(told));
      QCOMPARE(withGroupedNumbers(told), std::string(told));  // once is enough
    }
  }

  void patterns_data() {
    QTest::addColumn<QString>("pattern");
    QTest::addColumn<QString>("name");
    QTest::addColumn<bool>("fits");
    QTest::newRow("star takes any text") << "Boulder*"
                                         << "Boulder A" << true;
    QTest::newRow("star takes nothing") << "Boulder*"
                                        << "Boulder" << true;
    QTest::newRow("star in the middle backs up") << "*a*b"
                                                 << "aabab" << true;
    QTest::newRow("question mark is one character") << "post_?"
                                                    << "post_12" << false;
    QTest::newRow("one of several") << "kelp; post_?"
                                    << "post_1" << true;
    QTest::newRow("names may have spaces and commas") << " sea kale ;rock, large"
                                                      << "rock, large" << true;
    QTest::newRow("spaces do not part entries") << "sea kale"
                                                << "sea" << false;
    QTest::newRow("in quotes a semicolon is itself") << "\"a;b\"; c"
                                                     << "a;b" << true;
    QTest::newRow("in quotes a star is itself") << "\"a*\""
                                                << "ab" << false;
    QTest::newRow("empty entries fit nothing") << " ; ;"
                                               << "" << false;
    QTest::newRow("empty pattern fits nothing") << ""
                                                << "x" << false;
    QTest::newRow("whole name, not a part") << "oulder"
                                            << "Boulder" << false;
  }
  void patterns() {
    QFETCH(QString, pattern);
    QFETCH(QString, name);
    QFETCH(bool, fits);
    QCOMPARE(matchesAny(pattern.toStdString(), name.toStdString()), fits);
  }

  void shortestTurnTakesOneDirectionToTheOther() {
    for (std::uint64_t i = 0; i < 500; ++i) {
      const auto direction = [](std::uint64_t seed) {
        return glm::normalize(Vec3(unitFloat(mix64(seed)), unitFloat(mix64(seed + 1)), unitFloat(mix64(seed + 2))) -
                              0.5F);
      };
      const Vec3 a = direction(i * 7);
      const Vec3 b = i % 50 == 0 ? -a : direction(i * 7 + 1000003);
      QVERIFY(glm::length(shortestTurn(a, b) * a - b) < 2e-3F);
    }
    QVERIFY(within(static_cast<double>(degrees(angleBetween(kUp, glm::normalize(Vec3(1, 1, 0))))), 45, 1e-4));
  }

  void parametersOutOfRangeAreNamed() {
    ParamSpec spec;
    spec.id = "spacing";
    spec.label = "Spacing";
    spec.in(Unit::Meter).hard(0.5, 10);
    QCOMPARE(faultOf(spec, 2.0), std::string());
    QCOMPARE(faultOf(spec, 0.0), std::string("Spacing is 0 m, must be 0.5 to 10"));
    QCOMPARE(faultOf(spec, true), std::string("Spacing must be a number"));
    QVERIFY(!faultOf(spec, std::nan("")).empty());
  }
};

QTEST_GUILESS_MAIN(TestBase)
#include "tst_base.moc"
