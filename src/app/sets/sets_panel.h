// Beside the cards: which of them are shown, what is done to their settings, and the run that writes their pictures.
#pragma once

#include "document/export_shelf.h"
#include "document/preset_shelf.h"
#include "sets/set_grid.h"
#include "sets/set_run.h"
#include "widgets/panel.h"

class QCheckBox;
class QListWidget;
class QProgressBar;

namespace yolk::app {

class EggRating;
class FoldGroup;

class SetsPanel : public Panel {
    Q_OBJECT
public:
    SetsPanel(Collection *collection, PresetShelf *presets, ExportShelf *exports, SetRun *run, QWidget *parent);

    /// So many sets are chosen, of so many that are shown; whether settings were copied or worked on.
    void refresh(int selected, int shown);
    ChoiceRow *show() const { return show_; }
    ChoiceRow *order() const { return order_; }
    ChoiceRow *splitting() const { return split_; }
    ValueSlider *framesOfOne() const { return framesOfOne_; }
    EggRating *leastRating() const { return least_; }
    QPushButton *preset() const { return preset_; }
    QPushButton *copy() const { return copy_; }
    QPushButton *paste() const { return paste_; }
    QPushButton *asLast() const { return asLast_; }
    QPushButton *sameRoom() const { return sameRoom_; }
    QPushButton *run() const { return start_; }
    QPushButton *pause() const { return pause_; }
    QPushButton *stop() const { return stop_; }
    QPushButton *report() const { return report_; }
    QPushButton *sheet() const { return sheet_; }
    QListWidget *exports() const { return ways_; }
    QLineEdit *folder() const { return folder_; }
    QCheckBox *anew() const { return anew_; }
    QString state() const; ///< of the run, in words
    QString actsOn() const;
    void setFolder(const QString &folder); ///< where files go, unless an export preset says otherwise

Q_SIGNALS:
    void filterChanged(const SetFilter &filter);
    void presetAsked(const QString &name);
    void copyAsked();
    void pasteAsked();
    void asLastAsked();
    void sameRoomAsked();
    void runAsked();
    void sheetAsked();
    void folderAsked();

private:
    void makeShown();
    void makeSettings();
    void makeRun();
    void fillPresets();
    void fillWays();
    void refreshRun();
    Collection *collection_;
    PresetShelf *presets_;
    ExportShelf *shelf_;
    SetRun *running_;
    SetFilter filter_;
    int selected_ = 0, shown_ = 0;
    bool filling_ = false;
    ChoiceRow *show_, *order_, *split_;
    ValueSlider *framesOfOne_;
    EggRating *least_;
    QLabel *actsOn_, *state_;
    QPushButton *preset_, *copy_, *paste_, *asLast_, *sameRoom_, *start_, *pause_, *stop_, *report_, *sheet_, *choose_;
    QListWidget *ways_;
    QLineEdit *folder_;
    QCheckBox *anew_;
    QProgressBar *bar_;
};

} // namespace yolk::app
