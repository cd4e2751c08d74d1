// One group of settings in the list of stages.
#pragma once

#include "document/document.h"
#include "recipe/sections.h"

#include <QWidget>

class QCheckBox;
class QLabel;
class QLineEdit;

namespace yolk::app {

class ValueSlider;

class StageRow : public QWidget {
    Q_OBJECT
public:
    /// `group` must live on.
    StageRow(Document *document, const SettingGroup &group, QWidget *parent = nullptr);
    QString key() const { return QString::fromStdString(group_.key); }
    QCheckBox *on() const { return switch_; }
    QLineEdit *name() const { return name_; }
    ValueSlider *strength() const { return strength_; }
    QString changes() const;
    void refresh(const Recipe &start);

private:
    Document *document_;
    const SettingGroup &group_;
    QCheckBox *switch_;
    QLineEdit *name_;
    QLabel *changes_;
    ValueSlider *strength_;
};

} // namespace yolk::app
