// Marks text of the core that the application translates when it shows it; lupdate reads the macro as
// QT_TRANSLATE_NOOP.
#pragma once

#define ARVESK_TEXT(context, text) text
