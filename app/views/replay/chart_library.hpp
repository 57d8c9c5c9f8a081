// The chart library's header needs Qt's keyword macros, which this project is built without.
#pragma once

#include <QtCore/qforeach.h>
#include <QtCore/qobjectdefs.h>

#define signals Q_SIGNALS
#define slots Q_SLOTS
#define foreach Q_FOREACH
#include <qcustomplot.h>
#undef signals
#undef slots
#undef foreach
