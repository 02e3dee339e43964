#include "app/model/words.h"

#include "app/model/phrases.h"
#include "core/base/number_text.h"

#include <QCoreApplication>
#include <QFile>
#include <QLibraryInfo>
#include <QLocale>
#include <QMutex>
#include <QTranslator>

#include <unordered_map>

/// The program speaks before it has a theme, which has its own from there too.
static void initResources() { Q_INIT_RESOURCE(resources); }

namespace arvesk {
namespace {

QString plain(std::string_view words) { return QString::fromUtf8(words.data(), static_cast<qsizetype>(words.size())); }

/// One table for what Qt's tr() asks and for what the core says: a word has one meaning in the whole program, so no
/// contexts are kept apart.
class WordTable : public QTranslator {
 public:
  explicit WordTable(const QString& code) {
    QFile file(QStringLiteral(":/words/%1.po").arg(code));
    if (!file.open(QIODevice::ReadOnly)) return;
    for (const auto& [from, to] : readPo(file.readAll())) {
      m_whole.emplace(from, plain(to));
      m_phrases.add(from, to);
    }
    m_phrases.sort();
  }
  bool isEmpty() const override { return m_whole.empty(); }
  QString translate(const char*, const char* source, const char*, int) const override {
    const auto it = m_whole.find(source ? source : "");
    return it == m_whole.end() ? QString() : it->second;  // null: the next translator is asked
  }
  QString said(const std::string& words) {
    const QMutexLocker lock(&m_mutex);
    if (m_told.size() > 20'000) m_told.clear();
    const auto [it, isNew] = m_told.try_emplace(words);
    if (isNew) it->second = plain(withGroupedNumbers(m_phrases.said(words)));
    return it->second;
  }

 private:
  std::unordered_map<std::string, QString> m_whole;
  Phrases m_phrases;
  QMutex m_mutex;
  std::unordered_map<std::string, QString> m_told;  // cards ask for the same sentences again and again
};

struct Speech {
  QString code = QStringLiteral("en");
  std::unique_ptr<QTranslator> qt;  // buttons and file dialogs, which come with Qt
  std::shared_ptr<WordTable> table;
};
Speech& speech() {
  static Speech of;
  return of;
}

/// What the escapes of C in quotes stand for.
std::string unquoted(const QByteArray& line) {
  std::string out;
  const qsizetype from = line.indexOf('"') + 1;
  const qsizetype to = line.lastIndexOf('"');
  for (qsizetype i = from; i < to; ++i) {
    if (line[i] != '\\' || i + 1 >= to) {
      out += line[i];
      continue;
    }
    const char c = line[++i];
    out += c == 'n' ? '\n' : c == 't' ? '\t' : c;
  }
  return out;
}

}  // namespace

QString said(const std::string& words) {
  const std::shared_ptr<WordTable> table = speech().table;
  return table ? table->said(words) : QString::fromStdString(withGroupedNumbers(words));
}

QString lineOf(const Problem& problem) {
  QString out = said(problem.message);
  if (!problem.where.empty()) out = QStringLiteral("%1: %2").arg(text(problem.where), out);
  return problem.advice.empty() ? out : QStringLiteral("%1. %2").arg(out, said(problem.advice));
}

QString sentencesOf(const Problem& problem) {
  const QString what = said(problem.message);
  return problem.advice.empty() ? what : QStringLiteral("%1. %2.").arg(what, said(problem.advice));
}

std::vector<Language> languages() {
  return {{QStringLiteral("en"), QStringLiteral("English")}, {QStringLiteral("de"), QStringLiteral("Deutsch")}};
}

void speak(const QString& choice) {
  Speech& now = speech();
  QString code = choice;
  if (choice == QLatin1String("desktop")) code = QLocale::system().name().section(QLatin1Char('_'), 0, 0);
  bool isSpoken = false;
  for (const Language& l : languages()) isSpoken = isSpoken || l.code == code;
  if (!isSpoken) code = QStringLiteral("en");
  if (code == now.code) return;
  now.code = code;
  now.qt.reset();
  now.table.reset();
  if (code == QLatin1String("en")) return;
  initResources();
  now.qt = std::make_unique<QTranslator>();
  if (now.qt->load(QStringLiteral("qtbase_") + code, QLibraryInfo::path(QLibraryInfo::TranslationsPath)))
    QCoreApplication::installTranslator(now.qt.get());
  now.table = std::make_shared<WordTable>(code);
  QCoreApplication::installTranslator(now.table.get());
}

QString spoken() { return speech().code; }

std::vector<std::pair<std::string, std::string>> readPo(const QByteArray& po) {
  std::vector<std::pair<std::string, std::string>> out;
  std::string* at = nullptr;
  for (const QByteArray& line : po.split('\n')) {
    if (line.startsWith("msgid ")) {
      out.emplace_back();
      at = &out.back().first;
    } else if (line.startsWith("msgstr ") && !out.empty()) {
      at = &out.back().second;
    } else if (!line.startsWith('"')) {
      at = nullptr;
    }
    if (at) *at += unquoted(line);
  }
  std::erase_if(out, [](const auto& entry) { return entry.first.empty() || entry.second.empty(); });
  return out;
}

}  // namespace arvesk
