// The editing library's headers need Qt's keyword macros, which this project is built without.
#pragma once

#include <QtCore/qobjectdefs.h>

#define signals Q_SIGNALS
#define slots Q_SLOTS
#include <Qsci/qscilexerjson.h>
#include <Qsci/qscilexerlua.h>
#include <Qsci/qsciscintilla.h>
#undef signals
#undef slots
