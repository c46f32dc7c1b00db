// Precompiled for the window.
#pragma once
#include <QtCore>
#include <QtGui>
#include <QtWidgets>

#include "base/pch.h"
