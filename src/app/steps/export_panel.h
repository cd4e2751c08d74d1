// Export: how the finished picture is written, presets of it, another program, and the radiance.
#pragma once

#include "document/export_shelf.h"
#include "steps/field_controls.h"

#include <QHash>

class QLabel;
class QLineEdit;
class QListWidget;
class QPushButton;

namespace yolk::app {

class FoldGroup;
class HandOver;
class WrittenList;

class ExportPanel : public Panel {
    Q_OBJECT
public:
    ExportPanel(Document *document, ExportShelf *shelf, QWidget *parent = nullptr);

    FieldControls *controls() const { return controls_; }
    QLineEdit *text(const QString &path) const { return texts_.value(path); } ///< as "export.caption"
    QListWidget *presets() const { return presets_; }
    WrittenList *written() const { return written_; }
    QLineEdit *command() const { return command_; }
    ChoiceRow *handed() const { return handed_; }
    void handOverAs(Handed what); ///< shows that in the choice, and hands it over
    QPushButton *handOver() const { return handOver_; }
    QPushButton *removeReturned() const { return removeReturned_; }
    QCheckBox *screenLights() const { return screenLights_; }
    QString facts() const;
    QString returnedNote() const;
    void keepPreset(const QString &name, const QString &folder = {}); ///< of the present settings

Q_SIGNALS:
    void exportAsked();
    void radianceAsked();
    void presetsAsked(); ///< those that are ticked are to be written
    void presetToKeepAsked();
    void profileAsked();

private:
    void makePicture();
    void makeWords(FoldGroup *group);
    void makeWritten();
    void makePresets();
    void makeHandOver();
    void makeRadiance();
    template <class Section> void addControls(const Section &section, const QHash<QString, FoldGroup *> &groups);
    void addText(FoldGroup *group, std::string ExportSettings::*member, const char *key, const QString &name,
                 const QString &help);
    void refresh();
    void refreshHandOver();
    void refreshPresets();
    void takePreset(int row);
    void change(const std::function<void(ExportSettings &)> &edit, const QString &what);
    HandOver *hand() const; ///< of what is chosen

    Document *document_;
    ExportShelf *shelf_;
    FieldControls *controls_;
    QLabel *facts_, *nameShown_, *profileShown_, *returnedNote_;
    QPushButton *chooseProfile_, *handOver_, *removeReturned_;
    QCheckBox *screenLights_;
    ValueSlider *screenStops_;
    QList<std::pair<QLabel *, QString>> labels_; ///< of choices, hidden with them
    QHash<QString, QLineEdit *> texts_;
    QListWidget *presets_;
    WrittenList *written_;
    FoldGroup *writtenGroup_;
    ChoiceRow *handed_;
    QLineEdit *command_;
    bool filling_ = false;
};

} // namespace yolk::app
