// Words on the screen: names as they are, and what the core says in the language of the interface.
#pragma once

#include "core/base/result.h"

#include <QString>
#include <QStringList>

#include <string>
#include <utility>
#include <vector>

namespace arvesk {

/// Names, paths and ids: never told in another language.
inline QString text(const std::string& words) { return QString::fromStdString(words); }

/// What the core says (labels, help, sentences, messages) in the language of the interface.
/// Safe on all threads.
QString said(const std::string& words);
/// "where: message. advice", as toLine().
QString lineOf(const Problem& problem);
/// "message. advice."
QString sentencesOf(const Problem& problem);

/// A language that the application speaks.
struct Language {
  QString code;  // ISO 639-1
  QString name;  // in itself
};
std::vector<Language> languages();
/// `choice` is a code or "desktop". Before the first window is made: windows keep the words they were made with.
void speak(const QString& choice);
/// What is spoken now, by its code.
QString spoken();

/// Pairs of words from a text in the PO format of GNU gettext: msgid and msgstr, with the escapes of C. Entries without
/// a msgstr are left out.
std::vector<std::pair<std::string, std::string>> readPo(const QByteArray& po);

}  // namespace arvesk
