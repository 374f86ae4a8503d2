<?xml version="1.0" encoding="utf-8"?>
<!DOCTYPE TS>
<TS version="2.1" language="de" sourcelanguage="en">
  <context>
    <name>Dustpan</name>
    <message>
      <source>% brightness</source>
      <translation>% Helligkeit</translation>
    </message>
    <message>
      <source>% sure</source>
      <translation>% sicher</translation>
    </message>
    <message>
      <source>&amp;Compare</source>
      <translation>&amp;Vergleichen</translation>
    </message>
    <message>
      <source>&amp;Edit</source>
      <translation>&amp;Bearbeiten</translation>
    </message>
    <message>
      <source>&amp;File</source>
      <translation>&amp;Datei</translation>
    </message>
    <message>
      <source>&amp;Help</source>
      <translation>&amp;Hilfe</translation>
    </message>
    <message>
      <source>&amp;Inspect</source>
      <translation>&amp;Prüfen</translation>
    </message>
    <message>
      <source>&amp;Pictures</source>
      <translation>Bi&amp;lder</translation>
    </message>
    <message>
      <source>&amp;Step</source>
      <translation>&amp;Schritt</translation>
    </message>
    <message>
      <source>&amp;View</source>
      <translation>&amp;Ansicht</translation>
    </message>
    <message>
      <source>&amp;Where</source>
      <translation>&amp;Wo</translation>
    </message>
    <message>
      <source>1 takes single ones, 2 pairs as well, 3 small clusters.</source>
      <translation>1 nimmt einzelne, 2 auch Paare, 3 kleine Gruppen.</translation>
    </message>
    <message>
      <source>100 %</source>
      <translation>100 %</translation>
    </message>
    <message>
      <source>16 bit</source>
      <translation>16 Bit</translation>
    </message>
    <message>
      <source>200 %</source>
      <translation>200 %</translation>
    </message>
    <message>
      <source>32 bit float</source>
      <translation>32 Bit Gleitkomma</translation>
    </message>
    <message>
      <source>400 %</source>
      <translation>400 %</translation>
    </message>
    <message>
      <source>64-bit float values were rounded to 32 bits.</source>
      <translation>64-Bit-Gleitkommawerte wurden auf 32 Bit gerundet.</translation>
    </message>
    <message>
      <source>8 bit</source>
      <translation>8 Bit</translation>
    </message>
    <message>
      <source>; noise in the dark is as strong as light at {0:+.1f} EV</source>
      <translation>; im Dunkeln ist das Rauschen so stark wie Licht bei {0:+.1f} EV</translation>
    </message>
    <message>
      <source>A batch in this folder was not finished: {0} of {1} pictures are left.</source>
      <translation>Ein Stapel in diesem Ordner wurde nicht beendet: {0} von {1} Bildern fehlen noch.</translation>
    </message>
    <message>
      <source>A batch in {0} would write outside of it; it is left as it is.</source>
      <translation>Ein Stapel in {0} würde außerhalb schreiben; er bleibt, wie er ist.</translation>
    </message>
    <message>
      <source>A batch is going on.</source>
      <translation>Ein Stapel läuft.</translation>
    </message>
    <message>
      <source>A blur that was measured is taken out, as far as it is sure.</source>
      <translation>Eine gemessene Unschärfe wird herausgenommen, soweit sie sicher ist.</translation>
    </message>
    <message>
      <source>A chain of {0} steps; click to open it</source>
      <translation>Eine Kette aus {0} Schritten; klicken öffnet sie</translation>
    </message>
    <message>
      <source>A copy that is yours to change</source>
      <translation>Eine Kopie, die Sie ändern können</translation>
    </message>
    <message>
      <source>A cropped tele shot: the background calm, only what is sharp sharpened.</source>
      <translation>Ein beschnittenes Telebild: der Hintergrund ruhig, nur das Scharfe geschärft.</translation>
    </message>
    <message>
      <source>A grey PNG or TIFF of the picture's size: white acts, black does not.</source>
      <translation>Ein graues PNG oder TIFF in der Größe des Bildes: Weiß wirkt, Schwarz nicht.</translation>
    </message>
    <message>
      <source>A grey picture</source>
      <translation>Ein graues Bild</translation>
    </message>
    <message>
      <source>A grey picture of the same size, from a file</source>
      <translation>Ein graues Bild derselben Größe, aus einer Datei</translation>
    </message>
    <message>
      <source>A line of the spectrum that stands out less than this from its surroundings is left alone.</source>
      <translation>Eine Linie des Spektrums, die weniger als so weit herausragt, bleibt stehen.</translation>
    </message>
    <message>
      <source>A mask that other steps use as well; changing it changes all</source>
      <translation>Eine Maske, die auch andere Schritte nutzen; sie zu ändern ändert alle</translation>
    </message>
    <message>
      <source>A name can have {0} in it, not {1}.</source>
      <translation>Ein Name kann {0} enthalten, nicht {1}.</translation>
    </message>
    <message>
      <source>A name needs letters, and cannot have / in it.</source>
      <translation>Ein Name braucht Buchstaben und darf kein / enthalten.</translation>
    </message>
    <message>
      <source>A name of its own for this part</source>
      <translation>Ein eigener Name für diesen Teil</translation>
    </message>
    <message>
      <source>A picture of one channel has no colours.</source>
      <translation>Ein Bild mit einem Kanal hat keine Farben.</translation>
    </message>
    <message>
      <source>A place on the line up to which the step acts fully, and one on that where it ends.</source>
      <translation>Eine Stelle auf der Linie, bis zu der der Schritt voll wirkt, und eine auf der, wo er endet.</translation>
    </message>
    <message>
      <source>A range of brightness: shadows, midtones or lights, also as a luminosity mask</source>
      <translation>Ein Helligkeitsbereich: Schatten, Mitteltöne oder Lichter, auch als Luminanzmaske</translation>
    </message>
    <message>
      <source>A recipe has at least one step.</source>
      <translation>Ein Rezept hat mindestens einen Schritt.</translation>
    </message>
    <message>
      <source>A round place, set by handles on the picture</source>
      <translation>Eine runde Stelle, mit Griffen auf dem Bild</translation>
    </message>
    <message>
      <source>A scheduler needs the extra “cluster”: pip install dustpan[cluster].</source>
      <translation>Ein Verteiler braucht die Zugabe „cluster“: pip install dustpan[cluster].</translation>
    </message>
    <message>
      <source>A size is at least {0} px; there are 1 to 100 px a mm, and ink spreads by 0 to 1 mm.</source>
      <translation>Eine Größe ist mindestens {0} px; es gibt 1 bis 100 px je mm, und Tinte läuft um 0 bis 1 mm.</translation>
    </message>
    <message>
      <source>A stack is made of {0} to {1} exposures; these are {2}.</source>
      <translation>Gestapelt werden {0} bis {1} Aufnahmen; dies sind {2}.</translation>
    </message>
    <message>
      <source>A trimmed mean goes from a lower to a higher percentile, within 0 to 100.</source>
      <translation>Ein gestutztes Mittel reicht von einem kleineren zu einem größeren Perzentil, zwischen 0 und 100.</translation>
    </message>
    <message>
      <source>A typed blur is the same everywhere.</source>
      <translation>Eine getippte Unschärfe ist überall gleich.</translation>
    </message>
    <message>
      <source>Above surroundings</source>
      <translation>Über der Umgebung</translation>
    </message>
    <message>
      <source>Add a part to this mask</source>
      <translation>Dieser Maske einen Teil hinzufügen</translation>
    </message>
    <message>
      <source>Add a probe</source>
      <translation>Probe hinzufügen</translation>
    </message>
    <message>
      <source>Add a probe in the middle of what is seen</source>
      <translation>Fügt in der Mitte des Ausschnitts eine Probe hinzu</translation>
    </message>
    <message>
      <source>Add a rule</source>
      <translation>Regel hinzufügen</translation>
    </message>
    <message>
      <source>Add a step at its natural place</source>
      <translation>Fügt einen Schritt an seiner natürlichen Stelle ein</translation>
    </message>
    <message>
      <source>Add pictures, or drop them here.</source>
      <translation>Bilder hinzufügen oder hier ablegen.</translation>
    </message>
    <message>
      <source>Add to this sweep</source>
      <translation>Diesem Durchgang hinzufügen</translation>
    </message>
    <message>
      <source>Add {0}</source>
      <translation>{0} hinzufügen</translation>
    </message>
    <message>
      <source>Add, only where, except</source>
      <translation>Dazu, nur wo, außer</translation>
    </message>
    <message>
      <source>Add, only where, or except: click for the next</source>
      <translation>Dazu, nur wo oder außer: klicken für das nächste</translation>
    </message>
    <message>
      <source>Added</source>
      <translation>Hinzugefügt</translation>
    </message>
    <message>
      <source>Address of a Dask scheduler whose workers see the same folders</source>
      <translation>Adresse eines Dask-Schedulers, dessen Arbeiter dieselben Ordner sehen</translation>
    </message>
    <message>
      <source>Aligned exposures are saved no further. {0}</source>
      <translation>Ausgerichtete Aufnahmen werden nicht weiter gesichert. {0}</translation>
    </message>
    <message>
      <source>All</source>
      <translation>Alle</translation>
    </message>
    <message>
      <source>All channels alike, or each for itself so that the sky is neutral</source>
      <translation>Alle Kanäle gleich, oder jeder für sich, damit der Himmel neutral ist</translation>
    </message>
    <message>
      <source>All files (*)</source>
      <translation>Alle Dateien (*)</translation>
    </message>
    <message>
      <source>All of that size</source>
      <translation>Alles dieser Größe</translation>
    </message>
    <message>
      <source>All of that size is taken, be it sure or not.</source>
      <translation>Alles dieser Größe wird genommen, sicher oder nicht.</translation>
    </message>
    <message>
      <source>Also those above 5 of 255: a subject may be striped itself, so look first.</source>
      <translation>Auch die über 5 von 255: Ein Motiv kann selbst gestreift sein, also erst hinsehen.</translation>
    </message>
    <message>
      <source>Alt and wheel</source>
      <translation>Alt und Mausrad</translation>
    </message>
    <message>
      <source>Amount</source>
      <translation>Betrag</translation>
    </message>
    <message>
      <source>Angle</source>
      <translation>Winkel</translation>
    </message>
    <message>
      <source>Animal before a soft background</source>
      <translation>Tier vor weichem Hintergrund</translation>
    </message>
    <message>
      <source>Apply this step, or leave it out for now</source>
      <translation>Diesen Schritt anwenden oder vorerst auslassen</translation>
    </message>
    <message>
      <source>Apply to picture</source>
      <translation>Aufs Bild anwenden</translation>
    </message>
    <message>
      <source>As</source>
      <translation>Als</translation>
    </message>
    <message>
      <source>As shown, not as light</source>
      <translation>Wie gezeigt, nicht als Licht</translation>
    </message>
    <message>
      <source>As strong as it was measured: nothing flat to tune the strengths on.</source>
      <translation>So stark, wie es gemessen wurde: nichts Glattes, um die Stärken abzustimmen.</translation>
    </message>
    <message>
      <source>As the system</source>
      <translation>Wie das System</translation>
    </message>
    <message>
      <source>At least two exposures have to be used; {0} of {1} are.</source>
      <translation>Mindestens zwei Aufnahmen müssen verwendet werden; es sind {0} von {1}.</translation>
    </message>
    <message>
      <source>BT.2020</source>
      <translation>BT.2020</translation>
    </message>
    <message>
      <source>Back</source>
      <translation>Zurück</translation>
    </message>
    <message>
      <source>Back to the picture (Esc)</source>
      <translation>Zurück zum Bild (Esc)</translation>
    </message>
    <message>
      <source>Back to {0}</source>
      <translation>Zurück auf {0}</translation>
    </message>
    <message>
      <source>Bands of lamps</source>
      <translation>Lampenbänder</translation>
    </message>
    <message>
      <source>Batch</source>
      <translation>Stapel</translation>
    </message>
    <message>
      <source>Batch of {0}</source>
      <translation>Stapel vom {0}</translation>
    </message>
    <message>
      <source>Batch …</source>
      <translation>Stapel …</translation>
    </message>
    <message>
      <source>Before and after at this place. Click to bring the picture there; Delete removes it.</source>
      <translation>Vorher und nachher an dieser Stelle. Ein Klick bringt das Bild dorthin; Entf nimmt sie weg.</translation>
    </message>
    <message>
      <source>Before {0}</source>
      <translation>Vor {0}</translation>
    </message>
    <message>
      <source>Begin</source>
      <translation>Beginnen</translation>
    </message>
    <message>
      <source>Begin no further picture until you say so</source>
      <translation>Kein weiteres Bild beginnen, bis Sie es sagen</translation>
    </message>
    <message>
      <source>Bench</source>
      <translation>Bank</translation>
    </message>
    <message>
      <source>Black end</source>
      <translation>Schwarz</translation>
    </message>
    <message>
      <source>Black end: {0:.1f} %</source>
      <translation>Schwarz: {0:.1f} %</translation>
    </message>
    <message>
      <source>Blend</source>
      <translation>Mischen</translation>
    </message>
    <message>
      <source>Blink</source>
      <translation>Blinken</translation>
    </message>
    <message>
      <source>Blocks and bleeding are taken out of the colours.</source>
      <translation>Blöcke und Verlaufenes werden aus den Farben genommen.</translation>
    </message>
    <message>
      <source>Blocks and ringing are taken out of the brightness.</source>
      <translation>Blöcke und Säume werden aus der Helligkeit genommen.</translation>
    </message>
    <message>
      <source>Blocks, ringing and colour speckle out, and the letters kept.</source>
      <translation>Blöcke, Nachschwingen und Farbsprenkel weg, die Buchstaben bleiben.</translation>
    </message>
    <message>
      <source>Blotch size</source>
      <translation>Fleckengröße</translation>
    </message>
    <message>
      <source>Blue</source>
      <translation>Blau</translation>
    </message>
    <message>
      <source>Blue black</source>
      <translation>Blau Schwarz</translation>
    </message>
    <message>
      <source>Blue white</source>
      <translation>Blau Weiß</translation>
    </message>
    <message>
      <source>Blur</source>
      <translation>Unschärfe</translation>
    </message>
    <message>
      <source>Blurred colours</source>
      <translation>Unscharfe Farben</translation>
    </message>
    <message>
      <source>Boost</source>
      <translation>Verstärkung</translation>
    </message>
    <message>
      <source>Both strengths: {0:.2f} ×noise</source>
      <translation>Beide Stärken: {0:.2f} ×Rauschen</translation>
    </message>
    <message>
      <source>Brighten for viewing</source>
      <translation>Zum Ansehen aufhellen</translation>
    </message>
    <message>
      <source>Brightened for viewing</source>
      <translation>Zum Ansehen aufgehellt</translation>
    </message>
    <message>
      <source>Brightened for viewing: black, middle and white from the sky, or set on the histogram</source>
      <translation>Zum Ansehen aufgehellt: Schwarz, Mitte und Weiß vom Himmel, oder am Histogramm eingestellt</translation>
    </message>
    <message>
      <source>Brighter or darker, in stops of light.</source>
      <translation>Heller oder dunkler, in Blendenstufen.</translation>
    </message>
    <message>
      <source>Brightness</source>
      <translation>Helligkeit</translation>
    </message>
    <message>
      <source>Brightness alone, without colour</source>
      <translation>Nur die Helligkeit, ohne Farbe</translation>
    </message>
    <message>
      <source>Bring it back</source>
      <translation>Zurückholen</translation>
    </message>
    <message>
      <source>Brings red and blue back to green where the lens magnified them otherwise.</source>
      <translation>Bringt Rot und Blau zu Grün zurück, wo das Objektiv sie anders vergrößert hat.</translation>
    </message>
    <message>
      <source>Brings red and blue back to green where the lens moved or blurred them, and takes out coloured rims.</source>
      <translation>Bringt Rot und Blau zu Grün zurück, wo das Objektiv sie verschoben oder verwischt hat, und entfernt farbige Säume.</translation>
    </message>
    <message>
      <source>Broad bands of flickering lamps: only where the colours prove them, also where they are likely, or none.</source>
      <translation>Breite Bänder flackernder Lampen: nur wo die Farben sie beweisen, auch wo sie wahrscheinlich sind, oder keine.</translation>
    </message>
    <message>
      <source>Browse …</source>
      <translation>Durchsuchen …</translation>
    </message>
    <message>
      <source>But for</source>
      <translation>Außer</translation>
    </message>
    <message>
      <source>By brightness</source>
      <translation>Nach Helligkeit</translation>
    </message>
    <message>
      <source>By channel</source>
      <translation>Nach Kanal</translation>
    </message>
    <message>
      <source>By edges is sharper; where the sensor's noise is high it draws mazes, and linear is taken.</source>
      <translation>Nach Kanten ist schärfer; wo der Sensor stark rauscht, zeichnet es Labyrinthe, und linear wird genommen.</translation>
    </message>
    <message>
      <source>By how much it is turned clockwise.</source>
      <translation>Wie weit im Uhrzeigersinn gedreht.</translation>
    </message>
    <message>
      <source>By place</source>
      <translation>Nach Ort</translation>
    </message>
    <message>
      <source>CMYK colours were converted to sRGB through the picture's own profile.</source>
      <translation>CMYK-Farben wurden über das Profil des Bildes in sRGB umgerechnet.</translation>
    </message>
    <message>
      <source>Can hold {name}, {number}, {number:03}, {recipe}, {date} and {folder}</source>
      <translation>Kann {name}, {number}, {number:03}, {recipe}, {date} und {folder} enthalten</translation>
    </message>
    <message>
      <source>Cancel</source>
      <translation>Abbrechen</translation>
    </message>
    <message>
      <source>Cancelled; nothing was written.</source>
      <translation>Abgebrochen; nichts wurde geschrieben.</translation>
    </message>
    <message>
      <source>Cancelling …</source>
      <translation>Wird abgebrochen …</translation>
    </message>
    <message>
      <source>Centre, across</source>
      <translation>Mitte, quer</translation>
    </message>
    <message>
      <source>Centre, down</source>
      <translation>Mitte, hoch</translation>
    </message>
    <message>
      <source>Chain {0}</source>
      <translation>Kette {0}</translation>
    </message>
    <message>
      <source>Changed since they were done, and done anew: {0}.</source>
      <translation>Seither geändert und neu gemacht: {0}.</translation>
    </message>
    <message>
      <source>Channels alike</source>
      <translation>Kanäle gleich</translation>
    </message>
    <message>
      <source>Choose Hot pixels first: its hits are what a defect map holds.</source>
      <translation>Wählen Sie zuerst Heiße Pixel: ihre Treffer hält eine Defektkarte fest.</translation>
    </message>
    <message>
      <source>Choose a file</source>
      <translation>Eine Datei wählen</translation>
    </message>
    <message>
      <source>Choose a folder; every picture in it and below counts</source>
      <translation>Ordner wählen; jedes Bild darin und darunter zählt</translation>
    </message>
    <message>
      <source>Choose a step above, or add one with + Step.</source>
      <translation>Oben einen Schritt wählen oder mit + Schritt einen hinzufügen.</translation>
    </message>
    <message>
      <source>Choose a step first that can be limited to a place.</source>
      <translation>Wählen Sie erst einen Schritt, der sich auf eine Stelle beschränken lässt.</translation>
    </message>
    <message>
      <source>Choose another name.</source>
      <translation>Bitte einen anderen Namen wählen.</translation>
    </message>
    <message>
      <source>Choose pictures</source>
      <translation>Bilder wählen</translation>
    </message>
    <message>
      <source>Choose the folder of the results</source>
      <translation>Ordner der Ergebnisse wählen</translation>
    </message>
    <message>
      <source>Cleaned</source>
      <translation>Bereinigt</translation>
    </message>
    <message>
      <source>Cleaned from a step of {0:.1f} of 255</source>
      <translation>Bereinigt ab einer Stufe von {0:.1f} von 255</translation>
    </message>
    <message>
      <source>Click in the picture on what is meant: something neutral that becomes white, or a coloured rim</source>
      <translation>Im Bild anklicken, was gemeint ist: etwas Neutrales, das weiß wird, oder ein farbiger Saum</translation>
    </message>
    <message>
      <source>Click to see the worst place, again for the next.</source>
      <translation>Ein Klick zeigt die schlechteste Stelle, der nächste die nächste.</translation>
    </message>
    <message>
      <source>Close picture</source>
      <translation>Bild schließen</translation>
    </message>
    <message>
      <source>Close the chain</source>
      <translation>Kette schließen</translation>
    </message>
    <message>
      <source>Closer</source>
      <translation>Näher</translation>
    </message>
    <message>
      <source>Clouded: {0} of usually {1:.0f} stars, with {2:.0f} % of their light.</source>
      <translation>Bewölkt: {0} von sonst {1:.0f} Sternen, mit {2:.0f} % ihres Lichts.</translation>
    </message>
    <message>
      <source>Coarse</source>
      <translation>Grob</translation>
    </message>
    <message>
      <source>Colour</source>
      <translation>Farbe</translation>
    </message>
    <message>
      <source>Colour alone, on grey</source>
      <translation>Nur die Farbe, auf Grau</translation>
    </message>
    <message>
      <source>Colour filter</source>
      <translation>Farbfilter</translation>
    </message>
    <message>
      <source>Colour fringes</source>
      <translation>Farbsäume</translation>
    </message>
    <message>
      <source>Colours</source>
      <translation>Farben</translation>
    </message>
    <message>
      <source>Colours of rims</source>
      <translation>Farben der Säume</translation>
    </message>
    <message>
      <source>Colours of the window; the picture's surroundings stay neutral</source>
      <translation>Farben des Fensters; die Umgebung des Bildes bleibt neutral</translation>
    </message>
    <message>
      <source>Columns</source>
      <translation>Spalten</translation>
    </message>
    <message>
      <source>Compare with</source>
      <translation>Vergleich mit</translation>
    </message>
    <message>
      <source>Compression marks</source>
      <translation>Kompressionsspuren</translation>
    </message>
    <message>
      <source>Computed tiles are kept up to here</source>
      <translation>So viel Berechnetes wird im Speicher gehalten</translation>
    </message>
    <message>
      <source>Concert at night</source>
      <translation>Konzert bei Nacht</translation>
    </message>
    <message>
      <source>Contrast</source>
      <translation>Kontrast</translation>
    </message>
    <message>
      <source>Copy details</source>
      <translation>Details kopieren</translation>
    </message>
    <message>
      <source>Copy figures</source>
      <translation>Werte kopieren</translation>
    </message>
    <message>
      <source>Copy the chart's figures as text</source>
      <translation>Kopiert die Werte des Diagramms als Text</translation>
    </message>
    <message>
      <source>Copy this message and the end of the log as text</source>
      <translation>Kopiert diese Meldung und das Ende des Protokolls als Text</translation>
    </message>
    <message>
      <source>Counts of a FITS file stay in proportion to light unless this is on</source>
      <translation>Zählwerte einer FITS-Datei bleiben im Verhältnis zum Licht, solange dies aus ist</translation>
    </message>
    <message>
      <source>Crisper</source>
      <translation>Knackiger</translation>
    </message>
    <message>
      <source>Crumbs up to so wide are let go.</source>
      <translation>Krümel bis zu dieser Breite entfallen.</translation>
    </message>
    <message>
      <source>Dark</source>
      <translation>Dunkel</translation>
    </message>
    <message>
      <source>Dark side: {0:.1f} %</source>
      <translation>Dunkle Seite: {0:.1f} %</translation>
    </message>
    <message>
      <source>Deblur</source>
      <translation>Unschärfe mindern</translation>
    </message>
    <message>
      <source>Deep-sky frame</source>
      <translation>Deep-Sky-Aufnahme</translation>
    </message>
    <message>
      <source>Defect maps (*.json *.fits)</source>
      <translation>Defektkarten (*.json *.fits)</translation>
    </message>
    <message>
      <source>Defects that stand out less than this stay as they are.</source>
      <translation>Fehler, die weniger herausragen, bleiben, wie sie sind.</translation>
    </message>
    <message>
      <source>Delete</source>
      <translation>Löschen</translation>
    </message>
    <message>
      <source>Demosaic</source>
      <translation>Demosaik</translation>
    </message>
    <message>
      <source>Depends on the picture, typed in its units: {0}.</source>
      <translation>Hängt vom Bild ab, in dessen Einheiten getippt: {0}.</translation>
    </message>
    <message>
      <source>Depth</source>
      <translation>Bittiefe</translation>
    </message>
    <message>
      <source>Description</source>
      <translation>Beschreibung</translation>
    </message>
    <message>
      <source>Detail finer than this is in the layer.</source>
      <translation>Feineres als das ist in der Ebene.</translation>
    </message>
    <message>
      <source>Detail in the lights</source>
      <translation>Einzelheiten in den Lichtern</translation>
    </message>
    <message>
      <source>Detail weaker than this is left as it is.</source>
      <translation>Schwächere Details bleiben, wie sie sind.</translation>
    </message>
    <message>
      <source>Detail weaker than this much noise is taken out of the layer.</source>
      <translation>Schwächeres als so viel Rauschen kommt aus der Ebene.</translation>
    </message>
    <message>
      <source>Develop</source>
      <translation>Entwickeln</translation>
    </message>
    <message>
      <source>Dismiss</source>
      <translation>Ausblenden</translation>
    </message>
    <message>
      <source>Display P3</source>
      <translation>Display P3</translation>
    </message>
    <message>
      <source>Divider</source>
      <translation>Trennlinie</translation>
    </message>
    <message>
      <source>Do</source>
      <translation>Tun</translation>
    </message>
    <message>
      <source>Do it to all of them</source>
      <translation>Mit allen tun</translation>
    </message>
    <message>
      <source>Do it to many pictures</source>
      <translation>Mit vielen Bildern tun</translation>
    </message>
    <message>
      <source>Do not save</source>
      <translation>Nicht speichern</translation>
    </message>
    <message>
      <source>Done by</source>
      <translation>Ausgeführt von</translation>
    </message>
    <message>
      <source>Draft</source>
      <translation>Entwurf</translation>
    </message>
    <message>
      <source>Drag to change the order, or Ctrl and an arrow key.</source>
      <translation>Ziehen ändert die Reihenfolge, ebenso Strg und eine Pfeiltaste.</translation>
    </message>
    <message>
      <source>Draws colour blotches of up to this size into their surroundings; edges of colour stay where they are.</source>
      <translation>Zieht Farbflecken bis zu dieser Größe in ihre Umgebung; Farbkanten bleiben, wo sie sind.</translation>
    </message>
    <message>
      <source>Drop crumbs</source>
      <translation>Krümel weg</translation>
    </message>
    <message>
      <source>Drop pictures here, or open them. Nothing is written over:
the sweep is saved beside the picture.</source>
      <translation>Bilder hierher ziehen oder öffnen. Nichts wird überschrieben:
Der Durchgang wird neben dem Bild gespeichert.</translation>
    </message>
    <message>
      <source>Duplicate</source>
      <translation>Verdoppeln</translation>
    </message>
    <message>
      <source>Duplicate this part</source>
      <translation>Diesen Teil verdoppeln</translation>
    </message>
    <message>
      <source>Dustpan ended unexpectedly; unsaved work on {0} was kept.</source>
      <translation>Dustpan wurde unerwartet beendet; ungespeicherte Arbeit an {0} ist noch da.</translation>
    </message>
    <message>
      <source>EV</source>
      <translation>EV</translation>
    </message>
    <message>
      <source>Each its own</source>
      <translation>Jedes wie es ist</translation>
    </message>
    <message>
      <source>Earlier</source>
      <translation>Früher</translation>
    </message>
    <message>
      <source>Earlier in the sentence</source>
      <translation>Früher im Satz</translation>
    </message>
    <message>
      <source>Edge sharpen</source>
      <translation>Kanten schärfen</translation>
    </message>
    <message>
      <source>End it</source>
      <translation>Beenden</translation>
    </message>
    <message>
      <source>Erase</source>
      <translation>Löschen</translation>
    </message>
    <message>
      <source>Every control</source>
      <translation>Alle Regler</translation>
    </message>
    <message>
      <source>Everywhere except brush</source>
      <translation>Überall außer Pinsel</translation>
    </message>
    <message>
      <source>Everywhere: this step makes another kind of picture, and cannot be limited.</source>
      <translation>Überall: dieser Schritt macht ein Bild anderer Art und lässt sich nicht beschränken.</translation>
    </message>
    <message>
      <source>Export</source>
      <translation>Exportieren</translation>
    </message>
    <message>
      <source>Export and next</source>
      <translation>Export und weiter</translation>
    </message>
    <message>
      <source>Export recipe</source>
      <translation>Rezept exportieren</translation>
    </message>
    <message>
      <source>Export to</source>
      <translation>Exportieren nach</translation>
    </message>
    <message>
      <source>Export {0}</source>
      <translation>{0} exportieren</translation>
    </message>
    <message>
      <source>Export …</source>
      <translation>Export …</translation>
    </message>
    <message>
      <source>Exposure</source>
      <translation>Belichtung</translation>
    </message>
    <message>
      <source>Faded</source>
      <translation>Verblasst</translation>
    </message>
    <message>
      <source>Farther</source>
      <translation>Ferner</translation>
    </message>
    <message>
      <source>Feather</source>
      <translation>Weiche Kante</translation>
    </message>
    <message>
      <source>File</source>
      <translation>Datei</translation>
    </message>
    <message>
      <source>File name</source>
      <translation>Dateiname</translation>
    </message>
    <message>
      <source>Files and folders; drop more anywhere here, Delete takes the chosen ones out</source>
      <translation>Dateien und Ordner; weitere hier irgendwo ablegen, Entf nimmt die gewählten heraus</translation>
    </message>
    <message>
      <source>Fill holes</source>
      <translation>Löcher füllen</translation>
    </message>
    <message>
      <source>Find places for the probes anew</source>
      <translation>Stellen für die Proben neu suchen</translation>
    </message>
    <message>
      <source>Find the lowest strengths that do the job, and say why</source>
      <translation>Die kleinsten Stärken suchen, die genügen, und sagen warum</translation>
    </message>
    <message>
      <source>Finds by width and contrast</source>
      <translation>Funde nach Breite und Kontrast</translation>
    </message>
    <message>
      <source>Finds pixels that read too high or too low by their shape, and fills them from their neighbours.</source>
      <translation>Findet Pixel, die zu hoch oder zu tief lesen, an ihrer Form, und füllt sie aus ihren Nachbarn.</translation>
    </message>
    <message>
      <source>Finds single samples of a render that are far too bright, and fills them from around; glints and lamps stay.</source>
      <translation>Findet einzelne, viel zu helle Punkte eines gerechneten Bildes und füllt sie aus ihrer Umgebung; Glanzlichter und Lampen bleiben.</translation>
    </message>
    <message>
      <source>Finds spots, hairs and thin scratches that lie on the picture, and fills them from around.</source>
      <translation>Findet Flecken, Haare und feine Kratzer, die auf dem Bild liegen, und füllt sie aus der Umgebung.</translation>
    </message>
    <message>
      <source>Fine</source>
      <translation>Fein</translation>
    </message>
    <message>
      <source>Fine detail</source>
      <translation>Feine Details</translation>
    </message>
    <message>
      <source>Fingerprint</source>
      <translation>Fingerabdruck</translation>
    </message>
    <message>
      <source>Fireflies</source>
      <translation>Glühpunkte</translation>
    </message>
    <message>
      <source>Fit</source>
      <translation>Einpassen</translation>
    </message>
    <message>
      <source>Fit ({0:.0f} %)</source>
      <translation>Ganz ({0:.0f} %)</translation>
    </message>
    <message>
      <source>Flow</source>
      <translation>Fluss</translation>
    </message>
    <message>
      <source>Fold the tray</source>
      <translation>Regelfach einklappen</translation>
    </message>
    <message>
      <source>Folder of pictures</source>
      <translation>Ordner mit Bildern</translation>
    </message>
    <message>
      <source>Folder of the results</source>
      <translation>Ordner der Ergebnisse</translation>
    </message>
    <message>
      <source>Folder …</source>
      <translation>Ordner …</translation>
    </message>
    <message>
      <source>Follow edges</source>
      <translation>Kanten folgen</translation>
    </message>
    <message>
      <source>Format</source>
      <translation>Format</translation>
    </message>
    <message>
      <source>Found ones that stay as they are.</source>
      <translation>Gefundene, die bleiben, wie sie sind.</translation>
    </message>
    <message>
      <source>Found: {0}.</source>
      <translation>Gefunden: {0}.</translation>
    </message>
    <message>
      <source>From</source>
      <translation>Von</translation>
    </message>
    <message>
      <source>From a plain blur to one that leaves even faint edges.</source>
      <translation>Von einfacher Unschärfe bis zu einer, die auch schwache Kanten lässt.</translation>
    </message>
    <message>
      <source>From a step of</source>
      <translation>Ab Stufen von</translation>
    </message>
    <message>
      <source>From its middle to its side.</source>
      <translation>Von der Mitte zur Seite.</translation>
    </message>
    <message>
      <source>From its middle to its top.</source>
      <translation>Von der Mitte nach oben.</translation>
    </message>
    <message>
      <source>From one line to another, such as down from a ceiling</source>
      <translation>Von einer Linie zur anderen, etwa von der Decke herab</translation>
    </message>
    <message>
      <source>From the sky</source>
      <translation>Vom Himmel</translation>
    </message>
    <message>
      <source>From {0:.0f} × the floor</source>
      <translation>Ab {0:.0f} × Grund</translation>
    </message>
    <message>
      <source>From {0:.1f} σ: {1}</source>
      <translation>Ab {0:.1f} σ: {1}</translation>
    </message>
    <message>
      <source>From {0:.2f}</source>
      <translation>Von {0:.2f}</translation>
    </message>
    <message>
      <source>Full samples become white, or are recovered from the colours that are not full and rolled off.</source>
      <translation>Volle Werte werden weiß, oder aus den nicht vollen Farben gewonnen und weich auslaufend.</translation>
    </message>
    <message>
      <source>Full up to</source>
      <translation>Voll bis</translation>
    </message>
    <message>
      <source>Further</source>
      <translation>Mehr</translation>
    </message>
    <message>
      <source>Give another step this mask</source>
      <translation>Diese Maske einem anderen Schritt geben</translation>
    </message>
    <message>
      <source>Give back</source>
      <translation>Zurückgeben</translation>
    </message>
    <message>
      <source>Give either {0}, not both.</source>
      <translation>Geben Sie entweder {0} an, nicht beides.</translation>
    </message>
    <message>
      <source>Give this picture's sweep to the ticked ones</source>
      <translation>Durchgang an die angekreuzten geben</translation>
    </message>
    <message>
      <source>Gives red and blue the detail back that is sharper in green.</source>
      <translation>Gibt Rot und Blau die Einzelheiten zurück, die in Grün schärfer sind.</translation>
    </message>
    <message>
      <source>Go on</source>
      <translation>Weiter</translation>
    </message>
    <message>
      <source>Go on with the batch that is in this folder</source>
      <translation>Mit dem Stapel in diesem Ordner weitermachen</translation>
    </message>
    <message>
      <source>Go there</source>
      <translation>Dorthin</translation>
    </message>
    <message>
      <source>Grain</source>
      <translation>Korn</translation>
    </message>
    <message>
      <source>Green</source>
      <translation>Grün</translation>
    </message>
    <message>
      <source>Green black</source>
      <translation>Grün Schwarz</translation>
    </message>
    <message>
      <source>Green white</source>
      <translation>Grün Weiß</translation>
    </message>
    <message>
      <source>Grow</source>
      <translation>Wachsen</translation>
    </message>
    <message>
      <source>Half height</source>
      <translation>Halbe Höhe</translation>
    </message>
    <message>
      <source>Half width</source>
      <translation>Halbe Breite</translation>
    </message>
    <message>
      <source>Halo limits</source>
      <translation>Halogrenzen</translation>
    </message>
    <message>
      <source>Halo, dark</source>
      <translation>Halo, dunkel</translation>
    </message>
    <message>
      <source>Halo, light</source>
      <translation>Halo, hell</translation>
    </message>
    <message>
      <source>Halo-free detail in one click: laid over twice, by the brightness times itself.</source>
      <translation>Einzelheiten ohne Halos mit einem Klick: zweimal aufgelegt, nach der Helligkeit mal sich selbst.</translation>
    </message>
    <message>
      <source>Hand back</source>
      <translation>Übergeben</translation>
    </message>
    <message>
      <source>Harder brush</source>
      <translation>Härterer Pinsel</translation>
    </message>
    <message>
      <source>Hardly any noise ({0:.1f}/255): noise reduction will leave this picture alone.</source>
      <translation>Kaum Rauschen ({0:.1f}/255): Das Entrauschen lässt dieses Bild in Ruhe.</translation>
    </message>
    <message>
      <source>Haze</source>
      <translation>Dunst</translation>
    </message>
    <message>
      <source>Help</source>
      <translation>Hilfe</translation>
    </message>
    <message>
      <source>High ISO, hand-held: calm shadows, true blacks, crisp faces, nothing plastic.</source>
      <translation>Hoher ISO, aus der Hand: ruhige Schatten, echtes Schwarz, klare Gesichter, nichts Plastisches.</translation>
    </message>
    <message>
      <source>Highlights</source>
      <translation>Lichter</translation>
    </message>
    <message>
      <source>Histogram</source>
      <translation>Histogramm</translation>
    </message>
    <message>
      <source>Histogram with black end, middle and white end</source>
      <translation>Histogramm mit Schwarz, Mitte und Weiß</translation>
    </message>
    <message>
      <source>Hold the sky</source>
      <translation>Himmel halten</translation>
    </message>
    <message>
      <source>Holes up to so wide are closed.</source>
      <translation>Löcher bis zu dieser Breite werden geschlossen.</translation>
    </message>
    <message>
      <source>Hot pixels</source>
      <translation>Heiße Pixel</translation>
    </message>
    <message>
      <source>Hot pixels gone and stars untouched, colour noise neutral.</source>
      <translation>Heiße Pixel weg und Sterne unberührt, Farbrauschen neutral.</translation>
    </message>
    <message>
      <source>How coarse the texture is that counts: half its period.</source>
      <translation>Wie grob die Textur ist, die zählt: ihre halbe Periode.</translation>
    </message>
    <message>
      <source>How far</source>
      <translation>Wie weit</translation>
    </message>
    <message>
      <source>How far a bright rim may rise above the brightest value nearby, in percent of the local range.</source>
      <translation>Wie weit ein heller Rand über den hellsten Wert der Umgebung steigen darf, in Prozent des örtlichen Umfangs.</translation>
    </message>
    <message>
      <source>How far a colour may be from those that were picked.</source>
      <translation>Wie weit eine Farbe von den gewählten sein darf.</translation>
    </message>
    <message>
      <source>How far a dark rim may fall below the darkest value nearby, in percent of the local range.</source>
      <translation>Wie weit ein dunkler Rand unter den dunkelsten Wert der Umgebung fallen darf, in Prozent des örtlichen Umfangs.</translation>
    </message>
    <message>
      <source>How far a rim reaches from its edge; thin things lose more.</source>
      <translation>Wie weit ein Saum von seiner Kante reicht; dünne Dinge verlieren mehr.</translation>
    </message>
    <message>
      <source>How far a star has to stand out to count.</source>
      <translation>Wie weit ein Stern hervorstehen muss, um zu zählen.</translation>
    </message>
    <message>
      <source>How far around a star the mask reaches.</source>
      <translation>Wie weit die Maske um einen Stern reicht.</translation>
    </message>
    <message>
      <source>How far beside an edge it counts.</source>
      <translation>Wie weit neben einer Kante es zählt.</translation>
    </message>
    <message>
      <source>How far from an edge its detail is taken: the blur's sigma.</source>
      <translation>Wie weit von der Kante Details genommen werden: das Sigma der Unschärfe.</translation>
    </message>
    <message>
      <source>How far in from its rim the brush fades.</source>
      <translation>Wie weit vom Rand nach innen der Pinsel schwindet.</translation>
    </message>
    <message>
      <source>How far ink or dots spread on this paper</source>
      <translation>Wie weit Tinte oder Punkte auf diesem Papier laufen</translation>
    </message>
    <message>
      <source>How far it is softened: sigma.</source>
      <translation>Wie weit weichgezeichnet wird: Sigma.</translation>
    </message>
    <message>
      <source>How far out the step acts fully, in percent of the way to the rim; beyond it fades.</source>
      <translation>Wie weit der Schritt voll wirkt, in Prozent des Weges zum Rand; dahinter schwindet er.</translation>
    </message>
    <message>
      <source>How far rims leave the local range, in percent of it</source>
      <translation>Wie weit Ränder den örtlichen Umfang verlassen, in Prozent davon</translation>
    </message>
    <message>
      <source>How far the grain is softened: the blur's sigma.</source>
      <translation>Wie weich das Korn ist: das Sigma der Unschärfe.</translation>
    </message>
    <message>
      <source>How gradually it fades.</source>
      <translation>Wie allmählich es schwindet.</translation>
    </message>
    <message>
      <source>How many tiles are computed at a time</source>
      <translation>Wie viele Kacheln zugleich berechnet werden</translation>
    </message>
    <message>
      <source>How much a sky is spared, which has only noise to show.</source>
      <translation>Wie sehr ein Himmel geschont wird, der nur Rauschen zu zeigen hat.</translation>
    </message>
    <message>
      <source>How much brighter than its surroundings a firefly is at least; 1 is twice as bright.</source>
      <translation>Um wie viel heller als seine Umgebung ein Glühpunkt mindestens ist; 1 ist doppelt so hell.</translation>
    </message>
    <message>
      <source>How much brightness has to change across an edge, in multiples of the noise there.</source>
      <translation>Wie sehr sich die Helligkeit über eine Kante ändern muss, in Vielfachen des Rauschens dort.</translation>
    </message>
    <message>
      <source>How much more shapes as wide as the radius differ; below 0 less.</source>
      <translation>Wie viel mehr sich Formen von der Breite des Radius abheben; unter 0 weniger.</translation>
    </message>
    <message>
      <source>How much of a rim's colour is taken out; its luma stays.</source>
      <translation>Wie viel von der Farbe eines Saums entfernt wird; seine Helligkeit bleibt.</translation>
    </message>
    <message>
      <source>How much of the blur is taken out.</source>
      <translation>Wie viel der Unschärfe herausgenommen wird.</translation>
    </message>
    <message>
      <source>How much of the brightness noise is taken out.</source>
      <translation>Wie viel vom Helligkeitsrauschen weggenommen wird.</translation>
    </message>
    <message>
      <source>How much of the cast of the darkest tones is taken out.</source>
      <translation>Wie viel vom Farbstich der dunkelsten Töne weggenommen wird.</translation>
    </message>
    <message>
      <source>How much of the colour noise, speckle and blotches, is taken out.</source>
      <translation>Wie viel vom Farbrauschen, Sprenkeln und Flecken, weggenommen wird.</translation>
    </message>
    <message>
      <source>How much of the edges' detail is added.</source>
      <translation>Wie viel vom Detail der Kanten hinzukommt.</translation>
    </message>
    <message>
      <source>How much of the picture's own noise is left in it.</source>
      <translation>Wie viel vom Rauschen des Bildes bleibt.</translation>
    </message>
    <message>
      <source>How much of the veil is lifted, where it is proven.</source>
      <translation>Wie viel vom Schleier gehoben wird, wo er bewiesen ist.</translation>
    </message>
    <message>
      <source>How much of this step's result is laid over its input.</source>
      <translation>Wie viel vom Ergebnis dieses Schritts über seine Vorlage gelegt wird.</translation>
    </message>
    <message>
      <source>How much softer than the sharpest places still counts, in rungs of about a third more blur.</source>
      <translation>Wie viel weicher als die schärfsten Stellen noch zählt, in Stufen von etwa einem Drittel mehr Unschärfe.</translation>
    </message>
    <message>
      <source>How much weaker this part counts.</source>
      <translation>Um wie viel schwächer dieser Teil zählt.</translation>
    </message>
    <message>
      <source>How quickly a stroke gets there.</source>
      <translation>Wie schnell ein Strich dort ankommt.</translation>
    </message>
    <message>
      <source>How rough a place is, above the noise; inverted, the smooth parts</source>
      <translation>Wie rau eine Stelle ist, über dem Rauschen; umgekehrt die glatten Teile</translation>
    </message>
    <message>
      <source>How strong texture has to be to count fully, above the noise; half of it counts half.</source>
      <translation>Wie stark Textur über dem Rauschen sein muss, um voll zu zählen; die Hälfte zählt halb.</translation>
    </message>
    <message>
      <source>How strong the grain is, in multiples of the noise that was.</source>
      <translation>Wie stark das Korn ist, in Vielfachen des Rauschens, das da war.</translation>
    </message>
    <message>
      <source>How strong the layer is.</source>
      <translation>Wie stark die Ebene ist.</translation>
    </message>
    <message>
      <source>How strong the measured noise is at every place: the brighter, the stronger</source>
      <translation>Wie stark das gemessene Rauschen an jeder Stelle ist: je heller, desto stärker</translation>
    </message>
    <message>
      <source>How sure</source>
      <translation>Wie sicher</translation>
    </message>
    <message>
      <source>How this step's result is laid over its input</source>
      <translation>Wie das Ergebnis dieses Schritts über seine Vorlage gelegt wird</translation>
    </message>
    <message>
      <source>How thoroughly noise is told from content: quick for a look, finest when time does not matter.</source>
      <translation>Wie gründlich Rauschen von Inhalt getrennt wird: schnell zum Ansehen, feinst, wenn Zeit keine Rolle spielt.</translation>
    </message>
    <message>
      <source>How wide the strongest edges rise, before → after</source>
      <translation>Wie breit die stärksten Kanten ansteigen, vorher → nachher</translation>
    </message>
    <message>
      <source>How wide the surroundings are.</source>
      <translation>Wie weit die Umgebung reicht.</translation>
    </message>
    <message>
      <source>Hue</source>
      <translation>Farbton</translation>
    </message>
    <message>
      <source>ISO from</source>
      <translation>ISO von</translation>
    </message>
    <message>
      <source>ISO to</source>
      <translation>ISO bis</translation>
    </message>
    <message>
      <source>Import recipes</source>
      <translation>Rezepte importieren</translation>
    </message>
    <message>
      <source>Import …</source>
      <translation>Importieren …</translation>
    </message>
    <message>
      <source>Ink spreads</source>
      <translation>Tinte läuft</translation>
    </message>
    <message>
      <source>Inspect</source>
      <translation>Prüfen</translation>
    </message>
    <message>
      <source>Inspect. The picture and what is exported stay as they are.</source>
      <translation>Prüfen. Das Bild und der Export bleiben, wie sie sind.</translation>
    </message>
    <message>
      <source>Inspecting: {0}. Export unaffected.</source>
      <translation>Geprüft wird: {0}. Der Export bleibt unberührt.</translation>
    </message>
    <message>
      <source>Into</source>
      <translation>Nach</translation>
    </message>
    <message>
      <source>Invert the part</source>
      <translation>Teil umkehren</translation>
    </message>
    <message>
      <source>Inverted</source>
      <translation>Umgekehrt</translation>
    </message>
    <message>
      <source>It has {0} more channels, which were not opened.</source>
      <translation>Es hat {0} weitere Kanäle, die nicht geöffnet wurden.</translation>
    </message>
    <message>
      <source>It holds several frames; only the first was opened.</source>
      <translation>Die Datei enthält mehrere Einzelbilder; nur das erste wurde geöffnet.</translation>
    </message>
    <message>
      <source>It holds {0} images; the first was opened.</source>
      <translation>Sie enthält {0} Bilder; das erste wurde geöffnet.</translation>
    </message>
    <message>
      <source>It holds {0} pages; the first was opened.</source>
      <translation>Sie enthält {0} Seiten; die erste wurde geöffnet.</translation>
    </message>
    <message>
      <source>It shows fewer than four stars.</source>
      <translation>Sie zeigt weniger als vier Sterne.</translation>
    </message>
    <message>
      <source>It was changed last on {0}; replacing it cannot be undone.</source>
      <translation>Sie wurde zuletzt am {0} geändert; das Ersetzen lässt sich nicht rückgängig machen.</translation>
    </message>
    <message>
      <source>Its colour: as it was measured, or neutral, so that the light's own cast stays.</source>
      <translation>Seine Farbe: wie gemessen, oder neutral, damit der eigene Farbstich des Lichts bleibt.</translation>
    </message>
    <message>
      <source>Its middle, from the left.</source>
      <translation>Die Mitte, von links.</translation>
    </message>
    <message>
      <source>Its middle, from the top.</source>
      <translation>Die Mitte, von oben.</translation>
    </message>
    <message>
      <source>Its name is taken already.</source>
      <translation>Sein Name ist schon vergeben.</translation>
    </message>
    <message>
      <source>Its sensor has no colour filter.</source>
      <translation>Sein Sensor hat keinen Farbfilter.</translation>
    </message>
    <message>
      <source>Its stars were not found again in the reference.</source>
      <translation>Ihre Sterne wurden im Bezugsbild nicht wiedergefunden.</translation>
    </message>
    <message>
      <source>Its steps come to those that are there; a chain as one entry</source>
      <translation>Seine Schritte kommen zu den vorhandenen; eine Kette als ein Eintrag</translation>
    </message>
    <message>
      <source>JPEGs whose steps at low frequencies are finer than this on average are good ones and left alone.</source>
      <translation>JPEGs, deren Stufen bei tiefen Frequenzen im Mittel feiner sind, sind gut und bleiben, wie sie sind.</translation>
    </message>
    <message>
      <source>Joined by</source>
      <translation>Verbunden durch</translation>
    </message>
    <message>
      <source>K</source>
      <translation>K</translation>
    </message>
    <message>
      <source>Keep</source>
      <translation>Merken</translation>
    </message>
    <message>
      <source>Keep both</source>
      <translation>Beide behalten</translation>
    </message>
    <message>
      <source>Keep edges</source>
      <translation>Kanten lassen</translation>
    </message>
    <message>
      <source>Keep exposure facts</source>
      <translation>Aufnahmedaten behalten</translation>
    </message>
    <message>
      <source>Keep grain</source>
      <translation>Korn lassen</translation>
    </message>
    <message>
      <source>Keep this mask under a name: other steps can use it, and changing it changes all</source>
      <translation>Diese Maske unter einem Namen behalten: andere Schritte können sie nutzen, und sie zu ändern ändert alle</translation>
    </message>
    <message>
      <source>Keep this state</source>
      <translation>Diesen Stand merken</translation>
    </message>
    <message>
      <source>Keep this sweep</source>
      <translation>Diesen Durchgang behalten</translation>
    </message>
    <message>
      <source>Keep this sweep as a recipe</source>
      <translation>Diesen Durchgang als Rezept behalten</translation>
    </message>
    <message>
      <source>Keeping both gives the other one a new name beside it.</source>
      <translation>„Beide behalten“ gibt dem anderen einen neuen Namen daneben.</translation>
    </message>
    <message>
      <source>Keeping both puts yours beside it, under a name of its own.</source>
      <translation>Beide behalten legt Ihres unter einem eigenen Namen daneben.</translation>
    </message>
    <message>
      <source>Keeps every sample, the colour profile and all exposure facts.</source>
      <translation>Behält jeden Wert, das Farbprofil und alle Aufnahmedaten.</translation>
    </message>
    <message>
      <source>Kept as it is in the file: {0}.</source>
      <translation>Unverändert aus der Datei übernommen: {0}.</translation>
    </message>
    <message>
      <source>Keys</source>
      <translation>Tasten</translation>
    </message>
    <message>
      <source>L*, a* and b* of what was picked; more than one is either of them.</source>
      <translation>L*, a* und b* des Gewählten; bei mehreren zählt jede davon.</translation>
    </message>
    <message>
      <source>Language</source>
      <translation>Sprache</translation>
    </message>
    <message>
      <source>Larger brush</source>
      <translation>Größerer Pinsel</translation>
    </message>
    <message>
      <source>Largest</source>
      <translation>Größte</translation>
    </message>
    <message>
      <source>Largest width</source>
      <translation>Größte Breite</translation>
    </message>
    <message>
      <source>Later</source>
      <translation>Später</translation>
    </message>
    <message>
      <source>Later in the sentence</source>
      <translation>Später im Satz</translation>
    </message>
    <message>
      <source>Lays fine detail over the picture, without its grain; the blend says how.</source>
      <translation>Legt feine Details über das Bild, ohne sein Korn; die Mischung sagt, wie.</translation>
    </message>
    <message>
      <source>Lays fine luminance grain over the picture, in the measure of its own noise.</source>
      <translation>Legt feines Helligkeitskorn über das Bild, im Maß seines eigenen Rauschens.</translation>
    </message>
    <message>
      <source>Least contrast</source>
      <translation>Mindestkontrast</translation>
    </message>
    <message>
      <source>Least edge</source>
      <translation>Mindestkante</translation>
    </message>
    <message>
      <source>Left out, because it belonged to one picture: {0}.</source>
      <translation>Weggelassen, weil es zu einem Bild gehörte: {0}.</translation>
    </message>
    <message>
      <source>Less far</source>
      <translation>Weniger</translation>
    </message>
    <message>
      <source>Lifts the veil of the air by how much of it lies before every place; near things and the sky are held.</source>
      <translation>Hebt den Schleier der Luft, je nachdem wie viel davon vor jeder Stelle liegt; Nahes und der Himmel werden gehalten.</translation>
    </message>
    <message>
      <source>Light</source>
      <translation>Hell</translation>
    </message>
    <message>
      <source>Light brighter or darker for viewing; Alt and the wheel change by how much</source>
      <translation>Licht zum Ansehen heller oder dunkler; Alt und das Rad ändern, wie sehr</translation>
    </message>
    <message>
      <source>Light of the result; near things keep theirs at 0.</source>
      <translation>Licht des Ergebnisses; bei 0 behält Nahes das seine.</translation>
    </message>
    <message>
      <source>Light on the sensor, in stops below white</source>
      <translation>Licht auf dem Sensor, in Blendenstufen unter Weiß</translation>
    </message>
    <message>
      <source>Light side: {0:.1f} %</source>
      <translation>Helle Seite: {0:.1f} %</translation>
    </message>
    <message>
      <source>Lights, and brighter ones far more: the brightness times itself</source>
      <translation>Lichter, hellere weit mehr: die Helligkeit mal sich selbst</translation>
    </message>
    <message>
      <source>Lines</source>
      <translation>Linien</translation>
    </message>
    <message>
      <source>Local contrast</source>
      <translation>Lokaler Kontrast</translation>
    </message>
    <message>
      <source>Longest side</source>
      <translation>Längste Seite</translation>
    </message>
    <message>
      <source>Looking for places worth watching …</source>
      <translation>Suche nach Stellen, die es zu beobachten lohnt …</translation>
    </message>
    <message>
      <source>Looking …</source>
      <translation>Sucht …</translation>
    </message>
    <message>
      <source>Luminance</source>
      <translation>Helligkeit</translation>
    </message>
    <message>
      <source>Make a recipe of the sweep on the bench</source>
      <translation>Aus dem Durchgang auf der Bank ein Rezept machen</translation>
    </message>
    <message>
      <source>Make it a step Tone, so that it is exported as well</source>
      <translation>Einen Schritt Ton daraus machen, damit es auch exportiert wird</translation>
    </message>
    <message>
      <source>Make the state that is compared with the current one</source>
      <translation>Macht den Stand, mit dem verglichen wird, zum aktuellen</translation>
    </message>
    <message>
      <source>Makes a picture of the sensor's samples: white balance, push, highlights, three colours in every place.</source>
      <translation>Macht aus den Werten des Sensors ein Bild: Weißabgleich, Anheben, Lichter, drei Farben an jeder Stelle.</translation>
    </message>
    <message>
      <source>Makes all of it brighter or darker, in stops of light.</source>
      <translation>Macht alles heller oder dunkler, in Blendenstufen.</translation>
    </message>
    <message>
      <source>Makes edges steeper without rims beside them, and leaves noise and smooth areas alone.</source>
      <translation>Macht Kanten steiler, ohne Ränder daneben, und lässt Rauschen und glatte Flächen in Ruhe.</translation>
    </message>
    <message>
      <source>Makes shapes stand out from their surroundings, coarse and fine apart, without rims at strong edges.</source>
      <translation>Hebt Formen von ihrer Umgebung ab, grob und fein getrennt, ohne Säume an starken Kanten.</translation>
    </message>
    <message>
      <source>Making the demo pictures, once; a minute …</source>
      <translation>Die Beispielbilder werden erzeugt, einmalig; eine Minute …</translation>
    </message>
    <message>
      <source>Margin</source>
      <translation>Rand</translation>
    </message>
    <message>
      <source>Mask not shown</source>
      <translation>Maske verborgen</translation>
    </message>
    <message>
      <source>Measured</source>
      <translation>Gemessen</translation>
    </message>
    <message>
      <source>Measured from the picture, or typed: round, a disc, or along a line.</source>
      <translation>Am Bild gemessen oder eingegeben: rund, Scheibe oder entlang einer Linie.</translation>
    </message>
    <message>
      <source>Measured on the sensor: {0}.</source>
      <translation>Auf dem Sensor gemessen: {0}.</translation>
    </message>
    <message>
      <source>Measured: {0}, {1:.0f} % sure. {2} brings edges from {3} to {4} px, with halos of {5} %.</source>
      <translation>Gemessen: {0}, {1:.0f} % sicher. {2} bringt Kanten von {3} auf {4} px, mit Halos von {5} %.</translation>
    </message>
    <message>
      <source>Measuring the blur …</source>
      <translation>Unschärfe wird gemessen …</translation>
    </message>
    <message>
      <source>Measuring …</source>
      <translation>Messung läuft …</translation>
    </message>
    <message>
      <source>Memory and threads count for pictures that are opened from now on.</source>
      <translation>Speicher und Threads gelten für Bilder, die ab jetzt geöffnet werden.</translation>
    </message>
    <message>
      <source>Memory for tiles</source>
      <translation>Speicher für Kacheln</translation>
    </message>
    <message>
      <source>Middle</source>
      <translation>Mitten</translation>
    </message>
    <message>
      <source>Middle: {0:.1f} %</source>
      <translation>Mitte: {0:.1f} %</translation>
    </message>
    <message>
      <source>More</source>
      <translation>Mehr</translation>
    </message>
    <message>
      <source>More takes out green, less takes out magenta.</source>
      <translation>Mehr nimmt Grün heraus, weniger nimmt Magenta heraus.</translation>
    </message>
    <message>
      <source>Moved or out of focus</source>
      <translation>Verwackelt oder unscharf</translation>
    </message>
    <message>
      <source>Moves the black end of blue alone.</source>
      <translation>Verschiebt nur Schwarz von Blau.</translation>
    </message>
    <message>
      <source>Moves the black end of green alone.</source>
      <translation>Verschiebt nur Schwarz von Grün.</translation>
    </message>
    <message>
      <source>Moves the black end of red alone.</source>
      <translation>Verschiebt nur Schwarz von Rot.</translation>
    </message>
    <message>
      <source>Moves the outline out, or in below 0.</source>
      <translation>Schiebt den Umriss nach außen, unter 0 nach innen.</translation>
    </message>
    <message>
      <source>Moves the white end of blue alone.</source>
      <translation>Verschiebt nur Weiß von Blau.</translation>
    </message>
    <message>
      <source>Moves the white end of green alone.</source>
      <translation>Verschiebt nur Weiß von Grün.</translation>
    </message>
    <message>
      <source>Moves the white end of red alone.</source>
      <translation>Verschiebt nur Weiß von Rot.</translation>
    </message>
    <message>
      <source>Name</source>
      <translation>Name</translation>
    </message>
    <message>
      <source>Named</source>
      <translation>Benannt</translation>
    </message>
    <message>
      <source>Neutral blacks</source>
      <translation>Neutrale Tiefen</translation>
    </message>
    <message>
      <source>New here? Hold C for the original, drag the handles on the chart, press K to keep a state.</source>
      <translation>Neu hier? C halten zeigt das Original, die Griffe im Diagramm lassen sich ziehen, K merkt einen Stand.</translation>
    </message>
    <message>
      <source>Next hit</source>
      <translation>Nächster Fund</translation>
    </message>
    <message>
      <source>Next part</source>
      <translation>Nächster Teil</translation>
    </message>
    <message>
      <source>Next picture</source>
      <translation>Nächstes Bild</translation>
    </message>
    <message>
      <source>No JPEG's steps are proven</source>
      <translation>Keine JPEG-Stufen bewiesen</translation>
    </message>
    <message>
      <source>No edge in view. Shift-drag a line across one.</source>
      <translation>Keine Kante im Ausschnitt. Mit Umschalt eine Linie über eine ziehen.</translation>
    </message>
    <message>
      <source>No step chosen</source>
      <translation>Kein Schritt gewählt</translation>
    </message>
    <message>
      <source>Noise</source>
      <translation>Rauschen</translation>
    </message>
    <message>
      <source>Noise against brightness</source>
      <translation>Rauschen nach Helligkeit</translation>
    </message>
    <message>
      <source>Noise in flat parts, after against before</source>
      <translation>Rauschen in glatten Flächen, nachher gegen vorher</translation>
    </message>
    <message>
      <source>Noise reduced, highlights and fine scratches kept.</source>
      <translation>Weniger Rauschen, Lichter und feine Kratzer bleiben.</translation>
    </message>
    <message>
      <source>None of these exposures shows four stars; align them by content, or not at all.</source>
      <translation>Keine dieser Aufnahmen zeigt vier Sterne; richten Sie sie am Inhalt aus oder gar nicht.</translation>
    </message>
    <message>
      <source>Not sure of the noise: {0}.</source>
      <translation>Das Rauschen ist unsicher: {0}.</translation>
    </message>
    <message>
      <source>Nothing</source>
      <translation>Nichts</translation>
    </message>
    <message>
      <source>Nothing found; nothing is changed.</source>
      <translation>Nichts gefunden; nichts wird geändert.</translation>
    </message>
    <message>
      <source>Nothing in it was found again in the first exposure.</source>
      <translation>Nichts darin wurde in der ersten Aufnahme wiedergefunden.</translation>
    </message>
    <message>
      <source>Nothing on the shelf holds these words.</source>
      <translation>Nichts im Regal enthält diese Wörter.</translation>
    </message>
    <message>
      <source>Nothing: edges are as steep as the picture bears ({0}).</source>
      <translation>Nichts: Kanten sind so steil, wie es das Bild verträgt ({0}).</translation>
    </message>
    <message>
      <source>Nothing: the result would be worse than the picture ({0}).</source>
      <translation>Nichts: Das Ergebnis wäre schlechter als das Bild ({0}).</translation>
    </message>
    <message>
      <source>Nothing: there is hardly any noise.</source>
      <translation>Nichts: Es gibt kaum Rauschen.</translation>
    </message>
    <message>
      <source>Number of hits over how sure they are</source>
      <translation>Zahl der Funde nach Sicherheit</translation>
    </message>
    <message>
      <source>Of</source>
      <translation>Aus</translation>
    </message>
    <message>
      <source>Of a blur that is typed; this one is measured.</source>
      <translation>Gilt für eine eingegebene Unschärfe; diese ist gemessen.</translation>
    </message>
    <message>
      <source>Of a typed blur along a line.</source>
      <translation>Einer eingegebenen Unschärfe entlang einer Linie.</translation>
    </message>
    <message>
      <source>Of a typed one: sigma if round, radius of a disc, length of a line.</source>
      <translation>Einer eingegebenen: Sigma wenn rund, Radius der Scheibe, Länge der Linie.</translation>
    </message>
    <message>
      <source>Of the brush; [ and ] change it.</source>
      <translation>Des Pinsels; [ und ] ändern sie.</translation>
    </message>
    <message>
      <source>Of the longest side; a picture is never made larger</source>
      <translation>Der längsten Seite; ein Bild wird nie vergrößert</translation>
    </message>
    <message>
      <source>Of the luminance, which can make no colour rims, or of each channel.</source>
      <translation>Aus der Luminanz, die keine Farbsäume machen kann, oder aus jedem Kanal.</translation>
    </message>
    <message>
      <source>Of the window, the help and all messages</source>
      <translation>Des Fensters, der Hilfe und aller Meldungen</translation>
    </message>
    <message>
      <source>Of these exposures fewer than two can be used. {0}</source>
      <translation>Von diesen Aufnahmen sind weniger als zwei brauchbar. {0}</translation>
    </message>
    <message>
      <source>Of what the file held when it was chosen.</source>
      <translation>Von dem, was die Datei enthielt, als sie gewählt wurde.</translation>
    </message>
    <message>
      <source>Off or on</source>
      <translation>Aus oder an</translation>
    </message>
    <message>
      <source>On</source>
      <translation>An</translation>
    </message>
    <message>
      <source>On opening</source>
      <translation>Beim Öffnen</translation>
    </message>
    <message>
      <source>On the picture</source>
      <translation>Auf dem Bild</translation>
    </message>
    <message>
      <source>On {0}: {1}.</source>
      <translation>An {0}: {1}.</translation>
    </message>
    <message>
      <source>One picture after the other; small ones two at a time</source>
      <translation>Ein Bild nach dem anderen; kleine je zwei auf einmal</translation>
    </message>
    <message>
      <source>Only a blur along a line has one.</source>
      <translation>Nur eine Unschärfe entlang einer Linie hat einen.</translation>
    </message>
    <message>
      <source>Only folders can be watched.</source>
      <translation>Nur Ordner können beobachtet werden.</translation>
    </message>
    <message>
      <source>Opacity</source>
      <translation>Deckkraft</translation>
    </message>
    <message>
      <source>Open a picture to measure its noise</source>
      <translation>Ein Bild öffnen und sein Rauschen messen</translation>
    </message>
    <message>
      <source>Open or close the chain</source>
      <translation>Kette öffnen oder schließen</translation>
    </message>
    <message>
      <source>Open pictures</source>
      <translation>Bilder öffnen</translation>
    </message>
    <message>
      <source>Open the chain</source>
      <translation>Kette öffnen</translation>
    </message>
    <message>
      <source>Open the demo pictures</source>
      <translation>Beispielbilder öffnen</translation>
    </message>
    <message>
      <source>Open the page of this batch, outliers first</source>
      <translation>Seite dieses Stapels öffnen, Auffällige zuerst</translation>
    </message>
    <message>
      <source>Open {0} as</source>
      <translation>{0} öffnen als</translation>
    </message>
    <message>
      <source>Open …</source>
      <translation>Öffnen …</translation>
    </message>
    <message>
      <source>Opened as …</source>
      <translation>Geöffnet als …</translation>
    </message>
    <message>
      <source>Opening {0} …</source>
      <translation>{0} wird geöffnet …</translation>
    </message>
    <message>
      <source>Original</source>
      <translation>Original</translation>
    </message>
    <message>
      <source>Out of focus: its stars are {0:.1f} px wide, usually {1:.1f}.</source>
      <translation>Unscharf: ihre Sterne sind {0:.1f} px breit, sonst {1:.1f}.</translation>
    </message>
    <message>
      <source>Over how many levels the range begins and ends.</source>
      <translation>Über wie viele Stufen der Bereich beginnt und endet.</translation>
    </message>
    <message>
      <source>Over how many px this part is softened.</source>
      <translation>Über wie viele px dieser Teil weich wird.</translation>
    </message>
    <message>
      <source>Over how much of the tolerance it fades.</source>
      <translation>Über welchen Teil der Toleranz es schwindet.</translation>
    </message>
    <message>
      <source>Paint</source>
      <translation>Malen</translation>
    </message>
    <message>
      <source>Paint on the picture where it counts</source>
      <translation>Auf das Bild malen, wo es zählt</translation>
    </message>
    <message>
      <source>Paint or erase</source>
      <translation>Malen oder löschen</translation>
    </message>
    <message>
      <source>Paint the step away</source>
      <translation>Den Schritt wegmalen</translation>
    </message>
    <message>
      <source>Pair</source>
      <translation>Paar</translation>
    </message>
    <message>
      <source>Part</source>
      <translation>Teil</translation>
    </message>
    <message>
      <source>Pause</source>
      <translation>Pause</translation>
    </message>
    <message>
      <source>Peaks that stand out less than this stay as they are.</source>
      <translation>Spitzen, die weniger herausragen, bleiben, wie sie sind.</translation>
    </message>
    <message>
      <source>Pick</source>
      <translation>Wählen</translation>
    </message>
    <message>
      <source>Pick at</source>
      <translation>Wählen bei</translation>
    </message>
    <message>
      <source>Pick in the picture</source>
      <translation>Im Bild wählen</translation>
    </message>
    <message>
      <source>Picture</source>
      <translation>Bild</translation>
    </message>
    <message>
      <source>Pictures</source>
      <translation>Bilder</translation>
    </message>
    <message>
      <source>Pictures ({0})</source>
      <translation>Bilder ({0})</translation>
    </message>
    <message>
      <source>Pictures and folders</source>
      <translation>Bilder und Ordner</translation>
    </message>
    <message>
      <source>Pictures of a format, or of an ISO, begin with a recipe of their own</source>
      <translation>Bilder eines Formats oder eines ISO-Werts beginnen mit einem eigenen Rezept</translation>
    </message>
    <message>
      <source>Pictures of the batch</source>
      <translation>Bilder des Stapels</translation>
    </message>
    <message>
      <source>Pictures …</source>
      <translation>Bilder …</translation>
    </message>
    <message>
      <source>Pixels on a millimetre of the print</source>
      <translation>Pixel auf einem Millimeter des Drucks</translation>
    </message>
    <message>
      <source>Pixels that read too high, too low, or both.</source>
      <translation>Pixel, die zu hoch, zu tief oder beides lesen.</translation>
    </message>
    <message>
      <source>Places that are taken although nothing was found.</source>
      <translation>Stellen, die genommen werden, obwohl nichts gefunden wurde.</translation>
    </message>
    <message>
      <source>Places whose colours are picked before anything is computed.</source>
      <translation>Stellen, deren Farben gewählt werden, bevor gerechnet wird.</translation>
    </message>
    <message>
      <source>Portrait against the light</source>
      <translation>Porträt im Gegenlicht</translation>
    </message>
    <message>
      <source>Preferences</source>
      <translation>Einstellungen</translation>
    </message>
    <message>
      <source>Preferences …</source>
      <translation>Einstellungen …</translation>
    </message>
    <message>
      <source>Pressure: {0}</source>
      <translation>Druck: {0}</translation>
    </message>
    <message>
      <source>Preview</source>
      <translation>Vorschau</translation>
    </message>
    <message>
      <source>Previous hit</source>
      <translation>Voriger Fund</translation>
    </message>
    <message>
      <source>Previous part</source>
      <translation>Voriger Teil</translation>
    </message>
    <message>
      <source>Previous picture</source>
      <translation>Voriges Bild</translation>
    </message>
    <message>
      <source>Primaries</source>
      <translation>Grundfarben</translation>
    </message>
    <message>
      <source>Print</source>
      <translation>Druck</translation>
    </message>
    <message>
      <source>Probe {0}: {1}</source>
      <translation>Probe {0}: {1}</translation>
    </message>
    <message>
      <source>Probes</source>
      <translation>Proben</translation>
    </message>
    <message>
      <source>Probes on the picture</source>
      <translation>Proben auf dem Bild</translation>
    </message>
    <message>
      <source>Probes watch places of the picture.</source>
      <translation>Proben beobachten Stellen des Bildes.</translation>
    </message>
    <message>
      <source>Profile across an edge</source>
      <translation>Verlauf über eine Kante</translation>
    </message>
    <message>
      <source>Push</source>
      <translation>Anheben</translation>
    </message>
    <message>
      <source>Push {0:+.2f} EV: light from here on becomes white</source>
      <translation>Anheben {0:+.2f} EV: Licht ab hier wird weiß</translation>
    </message>
    <message>
      <source>Push, black and white end, middle, contrast and strength of colour, for finishing; hues stay.</source>
      <translation>Anheben, Schwarz, Weiß, Mitte, Kontrast und Farbstärke, zum Fertigstellen; Farbtöne bleiben.</translation>
    </message>
    <message>
      <source>Put a recipe file on the shelf</source>
      <translation>Rezeptdatei ins Regal stellen</translation>
    </message>
    <message>
      <source>Put back</source>
      <translation>Zurückgelegt</translation>
    </message>
    <message>
      <source>Put back what was deleted last</source>
      <translation>Zuletzt Gelöschtes zurückholen</translation>
    </message>
    <message>
      <source>Put the hit back</source>
      <translation>Fund zurücklegen</translation>
    </message>
    <message>
      <source>Quality</source>
      <translation>Qualität</translation>
    </message>
    <message>
      <source>Quality goes from 1 to 100.</source>
      <translation>Die Qualität geht von 1 bis 100.</translation>
    </message>
    <message>
      <source>Quit</source>
      <translation>Beenden</translation>
    </message>
    <message>
      <source>Radius</source>
      <translation>Radius</translation>
    </message>
    <message>
      <source>Range</source>
      <translation>Bereich</translation>
    </message>
    <message>
      <source>Range of tones</source>
      <translation>Tonbereich</translation>
    </message>
    <message>
      <source>Reach</source>
      <translation>Reichweite</translation>
    </message>
    <message>
      <source>Recent</source>
      <translation>Zuletzt geöffnet</translation>
    </message>
    <message>
      <source>Recipe</source>
      <translation>Rezept</translation>
    </message>
    <message>
      <source>Recipes</source>
      <translation>Rezepte</translation>
    </message>
    <message>
      <source>Recipes (*.json)</source>
      <translation>Rezepte (*.json)</translation>
    </message>
    <message>
      <source>Red</source>
      <translation>Rot</translation>
    </message>
    <message>
      <source>Red black</source>
      <translation>Rot Schwarz</translation>
    </message>
    <message>
      <source>Red white</source>
      <translation>Rot Weiß</translation>
    </message>
    <message>
      <source>Redo</source>
      <translation>Wiederholen</translation>
    </message>
    <message>
      <source>Redo {0}</source>
      <translation>Wiederholen: {0}</translation>
    </message>
    <message>
      <source>Remember this state of the sweep, to compare with and to return to</source>
      <translation>Merkt sich diesen Stand des Durchgangs, zum Vergleichen und Zurückkehren</translation>
    </message>
    <message>
      <source>Remove</source>
      <translation>Entfernen</translation>
    </message>
    <message>
      <source>Remove this probe</source>
      <translation>Diese Probe entfernen</translation>
    </message>
    <message>
      <source>Render with too few samples</source>
      <translation>Rendering mit zu wenigen Proben</translation>
    </message>
    <message>
      <source>Rendering every pixel exactly …</source>
      <translation>Jedes Pixel wird genau berechnet …</translation>
    </message>
    <message>
      <source>Repair</source>
      <translation>Reparieren</translation>
    </message>
    <message>
      <source>Replace</source>
      <translation>Ersetzen</translation>
    </message>
    <message>
      <source>Replaces their sweep by that of the picture on the bench; can be undone there</source>
      <translation>Ersetzt ihren Durchgang durch den des gezeigten Bildes; kann dort rückgängig gemacht werden</translation>
    </message>
    <message>
      <source>Report</source>
      <translation>Bericht</translation>
    </message>
    <message>
      <source>Reset {0}</source>
      <translation>{0} zurücksetzen</translation>
    </message>
    <message>
      <source>Result</source>
      <translation>Ergebnis</translation>
    </message>
    <message>
      <source>Results cannot be written as {0}.</source>
      <translation>Ergebnisse können nicht als {0} geschrieben werden.</translation>
    </message>
    <message>
      <source>Retry what failed</source>
      <translation>Gescheiterte nochmals</translation>
    </message>
    <message>
      <source>Return the result to the program that handed the picture over</source>
      <translation>Gibt das Ergebnis an das Programm zurück, von dem das Bild kam</translation>
    </message>
    <message>
      <source>Return to the kept state</source>
      <translation>Zum gemerkten Stand zurück</translation>
    </message>
    <message>
      <source>Returns the part of what was removed that has structure in it.</source>
      <translation>Gibt den Teil des Weggenommenen zurück, der Struktur hat.</translation>
    </message>
    <message>
      <source>Rims</source>
      <translation>Säume</translation>
    </message>
    <message>
      <source>Rims are looked for at edges of at least this contrast.</source>
      <translation>Säume werden an Kanten von mindestens diesem Kontrast gesucht.</translation>
    </message>
    <message>
      <source>Rims of {0:.0f}°: drag to another colour</source>
      <translation>Säume von {0:.0f}°: zu einer anderen Farbe ziehen</translation>
    </message>
    <message>
      <source>Rims that rise above (amber) or fall below (blue) the local range</source>
      <translation>Ränder, die über (bernstein) oder unter (blau) den örtlichen Umfang gehen</translation>
    </message>
    <message>
      <source>Rims' colour</source>
      <translation>Farbe der Säume</translation>
    </message>
    <message>
      <source>Rock and foliage</source>
      <translation>Fels und Laub</translation>
    </message>
    <message>
      <source>Rough strokes end at the subject's border, up to so far from where they were painted; 0 is as painted.</source>
      <translation>Grobe Striche enden an der Grenze des Motivs, bis so weit von dort, wo sie gemalt wurden; 0 ist wie gemalt.</translation>
    </message>
    <message>
      <source>Roughness</source>
      <translation>Rauheit</translation>
    </message>
    <message>
      <source>Rounds the outline over so many px.</source>
      <translation>Rundet den Umriss über so viele px.</translation>
    </message>
    <message>
      <source>Rows</source>
      <translation>Zeilen</translation>
    </message>
    <message>
      <source>Save</source>
      <translation>Speichern</translation>
    </message>
    <message>
      <source>Save defect map</source>
      <translation>Defektkarte speichern</translation>
    </message>
    <message>
      <source>Save defect map …</source>
      <translation>Defektkarte speichern …</translation>
    </message>
    <message>
      <source>Save sweep</source>
      <translation>Durchgang speichern</translation>
    </message>
    <message>
      <source>Saving writes it beside the picture; the picture itself is never changed.</source>
      <translation>Gespeichert wird er neben dem Bild; das Bild selbst wird nie verändert.</translation>
    </message>
    <message>
      <source>Say what is to be done.</source>
      <translation>Sagen Sie, was getan werden soll.</translation>
    </message>
    <message>
      <source>Say where to write with --out, or allow replacing the input with --in-place.</source>
      <translation>Mit --out sagen, wohin geschrieben wird, oder mit --in-place erlauben, die Eingabe zu ersetzen.</translation>
    </message>
    <message>
      <source>Scale</source>
      <translation>Maßstab</translation>
    </message>
    <message>
      <source>Search</source>
      <translation>Suchen</translation>
    </message>
    <message>
      <source>Search names, steps, cameras …</source>
      <translation>Namen, Schritte, Kameras suchen …</translation>
    </message>
    <message>
      <source>Set both strengths of Noise to {0:.2g}</source>
      <translation>Setzt beide Stärken des Rauschens auf {0:.2g}</translation>
    </message>
    <message>
      <source>Shadows</source>
      <translation>Tiefen</translation>
    </message>
    <message>
      <source>Shadows brightened; Alt and the wheel change by how much</source>
      <translation>Tiefen aufgehellt; Alt und das Mausrad ändern, wie sehr</translation>
    </message>
    <message>
      <source>Share of the light taken out that is spread over the surroundings instead of lost.</source>
      <translation>Anteil des herausgenommenen Lichts, der auf die Umgebung verteilt wird, statt verloren zu gehen.</translation>
    </message>
    <message>
      <source>Share of the strength in blue.</source>
      <translation>Anteil der Stärke in Blau.</translation>
    </message>
    <message>
      <source>Share of the strength in bright tones.</source>
      <translation>Anteil der Stärke in hellen Tönen.</translation>
    </message>
    <message>
      <source>Share of the strength in dark tones.</source>
      <translation>Anteil der Stärke in dunklen Tönen.</translation>
    </message>
    <message>
      <source>Share of the strength in green.</source>
      <translation>Anteil der Stärke in Grün.</translation>
    </message>
    <message>
      <source>Share of the strength in middle tones.</source>
      <translation>Anteil der Stärke in mittleren Tönen.</translation>
    </message>
    <message>
      <source>Share of the strength in red.</source>
      <translation>Anteil der Stärke in Rot.</translation>
    </message>
    <message>
      <source>Share of the texture above the noise that is still there</source>
      <translation>Anteil der Textur über dem Rauschen, der noch da ist</translation>
    </message>
    <message>
      <source>Sharpened for</source>
      <translation>Geschärft für</translation>
    </message>
    <message>
      <source>Sharpens by what the smaller size, or ink, takes away; held within halo limits</source>
      <translation>Schärft um das, was die kleinere Größe oder Tinte wegnimmt; innerhalb der Halogrenzen</translation>
    </message>
    <message>
      <source>Shift-drag</source>
      <translation>Umschalt-Ziehen</translation>
    </message>
    <message>
      <source>Shoulders</source>
      <translation>Schultern</translation>
    </message>
    <message>
      <source>Show both sides beside each other, panned and zoomed together</source>
      <translation>Zeigt beide Seiten nebeneinander, gemeinsam bewegt und vergrößert</translation>
    </message>
    <message>
      <source>Show help</source>
      <translation>Hilfe zeigen</translation>
    </message>
    <message>
      <source>Show the controls that are needed less often</source>
      <translation>Zeigt die Regler, die seltener gebraucht werden</translation>
    </message>
    <message>
      <source>Show the mask in another way</source>
      <translation>Die Maske anders zeigen</translation>
    </message>
    <message>
      <source>Show the mask over the picture (hold V)</source>
      <translation>Die Maske über dem Bild zeigen (V halten)</translation>
    </message>
    <message>
      <source>Show the middle of the view at several strengths, to pick from</source>
      <translation>Zeigt die Mitte des Ausschnitts bei mehreren Stärken, zum Auswählen</translation>
    </message>
    <message>
      <source>Show the other side on the left of a line that can be dragged</source>
      <translation>Zeigt links einer verschiebbaren Linie die andere Seite</translation>
    </message>
    <message>
      <source>Show the probes at {0} %</source>
      <translation>Zeigt die Proben bei {0} %</translation>
    </message>
    <message>
      <source>Show the result alone</source>
      <translation>Zeigt nur das Ergebnis</translation>
    </message>
    <message>
      <source>Sideways</source>
      <translation>Seitlich</translation>
    </message>
    <message>
      <source>Single</source>
      <translation>Einzeln</translation>
    </message>
    <message>
      <source>Size</source>
      <translation>Größe</translation>
    </message>
    <message>
      <source>Smaller brush</source>
      <translation>Kleinerer Pinsel</translation>
    </message>
    <message>
      <source>Smooth</source>
      <translation>Glätten</translation>
    </message>
    <message>
      <source>So many processes on this machine; each needs its memory</source>
      <translation>So viele Prozesse auf diesem Rechner; jeder braucht seinen Speicher</translation>
    </message>
    <message>
      <source>Soften</source>
      <translation>Weichzeichnen</translation>
    </message>
    <message>
      <source>Softens the whole over so many px.</source>
      <translation>Macht das Ganze über so viele px weich.</translation>
    </message>
    <message>
      <source>Softens what is finer than a radius, everywhere or only between edges.</source>
      <translation>Zeichnet weich, was feiner als ein Radius ist, überall oder nur zwischen Kanten.</translation>
    </message>
    <message>
      <source>Softer brush</source>
      <translation>Weicherer Pinsel</translation>
    </message>
    <message>
      <source>Softness</source>
      <translation>Weichheit</translation>
    </message>
    <message>
      <source>Somebody else's JPEG</source>
      <translation>JPEG von jemand anderem</translation>
    </message>
    <message>
      <source>Something went wrong inside Dustpan ({0}); your work is not lost.</source>
      <translation>In Dustpan ist etwas schiefgegangen ({0}); Ihre Arbeit ist nicht verloren.</translation>
    </message>
    <message>
      <source>Sorted by</source>
      <translation>Sortiert nach</translation>
    </message>
    <message>
      <source>Spare shadows</source>
      <translation>Schatten schonen</translation>
    </message>
    <message>
      <source>Special views: luminance, channels, shadows, removed … (I)</source>
      <translation>Besondere Ansichten: Helligkeit, Kanäle, Tiefen, Weggenommenes … (I)</translation>
    </message>
    <message>
      <source>Specks</source>
      <translation>Flecken</translation>
    </message>
    <message>
      <source>Spectrum along the picture, over its floor</source>
      <translation>Spektrum längs des Bildes, über seinem Grund</translation>
    </message>
    <message>
      <source>Spots, hairs and scratches that are wider stay as they are.</source>
      <translation>Breitere Flecken, Haare und Kratzer bleiben, wie sie sind.</translation>
    </message>
    <message>
      <source>Spread light</source>
      <translation>Licht verteilen</translation>
    </message>
    <message>
      <source>Squared</source>
      <translation>Quadriert</translation>
    </message>
    <message>
      <source>Stands out: {0}</source>
      <translation>Auffällig: {0}</translation>
    </message>
    <message>
      <source>Stars</source>
      <translation>Sterne</translation>
    </message>
    <message>
      <source>Stars, found by their shape, with a margin</source>
      <translation>Sterne, an ihrer Form gefunden, mit einem Rand</translation>
    </message>
    <message>
      <source>Stay</source>
      <translation>Bleiben</translation>
    </message>
    <message>
      <source>Steeper in the middle with soft shoulders, or flatter.</source>
      <translation>Steiler in der Mitte mit weichen Schultern, oder flacher.</translation>
    </message>
    <message>
      <source>Step</source>
      <translation>Schritt</translation>
    </message>
    <message>
      <source>Step {0}</source>
      <translation>Schritt {0}</translation>
    </message>
    <message>
      <source>Steps of the JPEG's brightness, by fineness</source>
      <translation>Stufen der JPEG-Helligkeit nach Feinheit</translation>
    </message>
    <message>
      <source>Stop computing; what is shown stays</source>
      <translation>Hält die Berechnung an; was zu sehen ist, bleibt</translation>
    </message>
    <message>
      <source>Stop now; what is done stays, and can be gone on with</source>
      <translation>Jetzt anhalten; Getanes bleibt, und es kann weitergehen</translation>
    </message>
    <message>
      <source>Strength</source>
      <translation>Stärke</translation>
    </message>
    <message>
      <source>Strength of the colours; their hues stay.</source>
      <translation>Stärke der Farben; ihre Farbtöne bleiben.</translation>
    </message>
    <message>
      <source>Stripes</source>
      <translation>Streifen</translation>
    </message>
    <message>
      <source>Stripes across the picture are taken out where they are proven.</source>
      <translation>Streifen quer über das Bild werden entfernt, wo sie bewiesen sind.</translation>
    </message>
    <message>
      <source>Stripes of focus pixels gone, eyes crisp, skin left soft.</source>
      <translation>Streifen der Fokuspixel weg, Augen klar, Haut weich gelassen.</translation>
    </message>
    <message>
      <source>Strokes</source>
      <translation>Striche</translation>
    </message>
    <message>
      <source>Strong ones</source>
      <translation>Starke</translation>
    </message>
    <message>
      <source>Suggest</source>
      <translation>Vorschlagen</translation>
    </message>
    <message>
      <source>Suggest sharpening</source>
      <translation>Schärfung vorschlagen</translation>
    </message>
    <message>
      <source>Suggest strengths</source>
      <translation>Stärken vorschlagen</translation>
    </message>
    <message>
      <source>Suggested for each picture</source>
      <translation>Für jedes Bild vorgeschlagen</translation>
    </message>
    <message>
      <source>Take all of them away</source>
      <translation>Alle wegnehmen</translation>
    </message>
    <message>
      <source>Take black, middle and white from the sky and its noise</source>
      <translation>Schwarz, Mitte und Weiß aus dem Himmel und seinem Rauschen nehmen</translation>
    </message>
    <message>
      <source>Take it off the shelf; Undo puts it back</source>
      <translation>Aus dem Regal nehmen; Rückgängig holt es zurück</translation>
    </message>
    <message>
      <source>Take out</source>
      <translation>Herausnehmen</translation>
    </message>
    <message>
      <source>Take the chosen ones out of this list</source>
      <translation>Gewählte aus dieser Liste nehmen</translation>
    </message>
    <message>
      <source>Take the part out</source>
      <translation>Teil herausnehmen</translation>
    </message>
    <message>
      <source>Take this part out</source>
      <translation>Diesen Teil herausnehmen</translation>
    </message>
    <message>
      <source>Take this step out of the sweep</source>
      <translation>Nimmt diesen Schritt aus dem Durchgang</translation>
    </message>
    <message>
      <source>Takes a colour cast out of the darkest tones, as it was measured, and leaves brighter tones alone.</source>
      <translation>Nimmt einen Farbstich aus den dunkelsten Tönen, wie er gemessen wurde, und lässt hellere Töne in Ruhe.</translation>
    </message>
    <message>
      <source>Takes everything that is as small and stands out as much, be it sure or not: for coarse speckle.</source>
      <translation>Nimmt alles, was so klein ist und so weit heraussticht, sicher oder nicht: gegen grobe Sprenkel.</translation>
    </message>
    <message>
      <source>Takes out a blur that was measured from the picture, or typed, and holds noise and rims.</source>
      <translation>Nimmt eine gemessene oder eingegebene Unschärfe heraus und hält Rauschen und Säume.</translation>
    </message>
    <message>
      <source>Takes out blocks, ringing and blurred colour of a JPEG, within the steps that its file was stored with.</source>
      <translation>Entfernt Blöcke, Säume und verlaufene Farbe eines JPEG, innerhalb der Stufen, mit denen seine Datei gespeichert ist.</translation>
    </message>
    <message>
      <source>Takes out luminance and colour noise, as strong as it was measured at every brightness.</source>
      <translation>Nimmt Helligkeits- und Farbrauschen weg, so stark, wie es bei jeder Helligkeit gemessen wurde.</translation>
    </message>
    <message>
      <source>Takes out rows or columns that the sensor wrote, where they are proven; else nothing is changed.</source>
      <translation>Entfernt Zeilen oder Spalten, die der Sensor schrieb, wo sie bewiesen sind; sonst bleibt alles.</translation>
    </message>
    <message>
      <source>Temperature</source>
      <translation>Temperatur</translation>
    </message>
    <message>
      <source>Test strip</source>
      <translation>Probestreifen</translation>
    </message>
    <message>
      <source>Texture kept and raised, no rim along the skyline.</source>
      <translation>Textur erhalten und gehoben, kein Halo am Horizont.</translation>
    </message>
    <message>
      <source>The blue channel as grey</source>
      <translation>Der Blaukanal als Grau</translation>
    </message>
    <message>
      <source>The blur is measured for each part of the picture: where corners, or what is out of focus, are softer.</source>
      <translation>Die Unschärfe wird für jeden Teil des Bildes gemessen: wo Ecken, oder was nicht im Fokus ist, weicher sind.</translation>
    </message>
    <message>
      <source>The braces in the name do not match.</source>
      <translation>Die Klammern im Namen passen nicht zusammen.</translation>
    </message>
    <message>
      <source>The brightest tone that counts, 0 to 1.</source>
      <translation>Der hellste Ton, der zählt, 0 bis 1.</translation>
    </message>
    <message>
      <source>The brightness from which nothing is changed; below it the correction grows towards black.</source>
      <translation>Die Helligkeit, ab der nichts geändert wird; darunter wächst die Korrektur bis Schwarz.</translation>
    </message>
    <message>
      <source>The colours that most rims of this picture have, one that was picked, or any.</source>
      <translation>Die Farben, die die meisten Säume dieses Bildes haben, eine gewählte, oder jede.</translation>
    </message>
    <message>
      <source>The colours that the picture can hold.</source>
      <translation>Die Farben, die das Bild fassen kann.</translation>
    </message>
    <message>
      <source>The darkest tone that counts, 0 to 1.</source>
      <translation>Der dunkelste Ton, der zählt, 0 bis 1.</translation>
    </message>
    <message>
      <source>The defect map is of pictures of {0} × {1} px, and this one has {2} × {3}.</source>
      <translation>Die Defektkarte gehört zu Bildern von {0} × {1} px, dieses hat {2} × {3}.</translation>
    </message>
    <message>
      <source>The demo pictures could not be made: {0}</source>
      <translation>Die Beispielbilder konnten nicht erzeugt werden: {0}</translation>
    </message>
    <message>
      <source>The file holds all colours in every place already.</source>
      <translation>Die Datei hat schon an jeder Stelle alle Farben.</translation>
    </message>
    <message>
      <source>The frames of one defect map must be of one size.</source>
      <translation>Die Bilder einer Defektkarte müssen gleich groß sein.</translation>
    </message>
    <message>
      <source>The green channel as grey</source>
      <translation>Der Grünkanal als Grau</translation>
    </message>
    <message>
      <source>The journal of this batch is damaged.</source>
      <translation>Das Protokoll dieses Stapels ist beschädigt.</translation>
    </message>
    <message>
      <source>The journal of this batch is damaged; --anew sets it aside and begins again.</source>
      <translation>Das Journal dieses Stapels ist beschädigt; --anew legt es beiseite und beginnt neu.</translation>
    </message>
    <message>
      <source>The layer is sharpened once more.</source>
      <translation>Die Ebene wird noch einmal geschärft.</translation>
    </message>
    <message>
      <source>The light that the picture was taken in; more makes it warmer. Moving it sets the white.</source>
      <translation>Das Licht, in dem aufgenommen wurde; mehr macht wärmer. Bewegen stellt Weiß ein.</translation>
    </message>
    <message>
      <source>The limit in sigma goes from 1 to 20.</source>
      <translation>Die Grenze in Sigma reicht von 1 bis 20.</translation>
    </message>
    <message>
      <source>The lowest strengths that leave {0:.0f} % of the noise from pixel to pixel; in flat parts it is {1} %.</source>
      <translation>Die geringsten Stärken, die {0:.0f} % des Rauschens von Pixel zu Pixel lassen; in ebenen Teilen sind es {1} %.</translation>
    </message>
    <message>
      <source>The lowest strengths that leave {0:.0f} % of the noise in flat parts; measured: {1} %.</source>
      <translation>Die kleinsten Stärken, die {0:.0f} % des Rauschens in glatten Flächen lassen; gemessen: {1} %.</translation>
    </message>
    <message>
      <source>The mask times itself: what is bright counts far more.</source>
      <translation>Die Maske mal sich selbst: Helles zählt weit mehr.</translation>
    </message>
    <message>
      <source>The mask {0} has changed since it was chosen.</source>
      <translation>Die Maske {0} hat sich geändert, seit sie gewählt wurde.</translation>
    </message>
    <message>
      <source>The mask {0} has {1} px; the picture has {2}.</source>
      <translation>Die Maske {0} hat {1} px; das Bild hat {2}.</translation>
    </message>
    <message>
      <source>The masks in it use each other so often that they cannot be computed.</source>
      <translation>Die Masken darin verwenden einander so oft, dass sie nicht berechnet werden können.</translation>
    </message>
    <message>
      <source>The middle of the view at several strengths. Click the one to take over.</source>
      <translation>Die Mitte des Ausschnitts bei mehreren Stärken. Ein Klick übernimmt eine.</translation>
    </message>
    <message>
      <source>The most that a stroke reaches, however often it goes over a place.</source>
      <translation>Das Höchste, das ein Strich erreicht, so oft er über eine Stelle geht.</translation>
    </message>
    <message>
      <source>The name under which the mask is kept; a change of it changes every use.</source>
      <translation>Der Name, unter dem die Maske behalten ist; eine Änderung ändert jede Verwendung.</translation>
    </message>
    <message>
      <source>The open pictures; a dot marks unsaved work</source>
      <translation>Die offenen Bilder; ein Punkt zeigt ungespeicherte Arbeit</translation>
    </message>
    <message>
      <source>The outline moves to the subject's border, at most so far.</source>
      <translation>Der Umriss rückt an die Grenze des Motivs, höchstens so weit.</translation>
    </message>
    <message>
      <source>The picked colour of rims; 280 is violet.</source>
      <translation>Die gewählte Farbe der Säume; 280 ist Violett.</translation>
    </message>
    <message>
      <source>The picture and its export stay as they are, until this is applied.</source>
      <translation>Bild und Export bleiben, wie sie sind, bis dies angewandt wird.</translation>
    </message>
    <message>
      <source>The picture as it is</source>
      <translation>Das Bild, wie es ist</translation>
    </message>
    <message>
      <source>The picture to hand back is not open.</source>
      <translation>Das Bild, das zurückgegeben werden soll, ist nicht offen.</translation>
    </message>
    <message>
      <source>The picture's sweep becomes that of the recipe; can be undone</source>
      <translation>Der Durchgang des Bildes wird der des Rezepts; rückgängig zu machen</translation>
    </message>
    <message>
      <source>The recipe has changed since: all pictures are done anew.</source>
      <translation>Das Rezept hat sich seither geändert: Alle Bilder werden neu gemacht.</translation>
    </message>
    <message>
      <source>The recipe “{0}” has been changed by another window since it was read.</source>
      <translation>Ein anderes Fenster hat das Rezept „{0}“ geändert, seit es gelesen wurde.</translation>
    </message>
    <message>
      <source>The red channel as grey</source>
      <translation>Der Rotkanal als Grau</translation>
    </message>
    <message>
      <source>The same of what is four times finer.</source>
      <translation>Dasselbe mit viermal Feinerem.</translation>
    </message>
    <message>
      <source>The share between both ends that becomes middle grey.</source>
      <translation>Der Anteil zwischen beiden Enden, der zu mittlerem Grau wird.</translation>
    </message>
    <message>
      <source>The suggested sweep</source>
      <translation>Der vorgeschlagene Durchgang</translation>
    </message>
    <message>
      <source>The sweep of {0} has been changed by another window or program since it was read.</source>
      <translation>Der Durchgang von {0} wurde von einem anderen Fenster oder Programm geändert, seit er gelesen wurde.</translation>
    </message>
    <message>
      <source>The sweep of {0} has not been saved.</source>
      <translation>Der Durchgang von {0} ist nicht gespeichert.</translation>
    </message>
    <message>
      <source>The sweep on the bench</source>
      <translation>Der Durchgang auf der Bank</translation>
    </message>
    <message>
      <source>The value that becomes black.</source>
      <translation>Der Wert, der schwarz wird.</translation>
    </message>
    <message>
      <source>The value that becomes white.</source>
      <translation>Der Wert, der weiß wird.</translation>
    </message>
    <message>
      <source>The {0} exposure is not aligned, so that a point in it cannot be followed.</source>
      <translation>Die {0} Aufnahme ist nicht ausgerichtet, darum kann einem Punkt in ihr nicht gefolgt werden.</translation>
    </message>
    <message>
      <source>Theme</source>
      <translation>Farbschema</translation>
    </message>
    <message>
      <source>There are no pictures in what was given.</source>
      <translation>In dem Gegebenen sind keine Bilder.</translation>
    </message>
    <message>
      <source>There are too many files of one name.</source>
      <translation>Es gibt zu viele Dateien eines Namens.</translation>
    </message>
    <message>
      <source>There can be 1 to {0} workers.</source>
      <translation>Es kann 1 bis {0} Arbeiter geben.</translation>
    </message>
    <message>
      <source>There is already a file {0}.</source>
      <translation>Es gibt schon eine Datei {0}.</translation>
    </message>
    <message>
      <source>There is an unfinished batch in {0} ({1} of {2} left): go on with --resume, or forget it with --anew.</source>
      <translation>In {0} ist ein unbeendeter Stapel ({1} von {2} fehlen): mit --resume weitermachen oder mit --anew vergessen.</translation>
    </message>
    <message>
      <source>There is no batch in {0} to go on with.</source>
      <translation>In {0} ist kein Stapel, mit dem es weitergehen könnte.</translation>
    </message>
    <message>
      <source>There is no blend “{0}”; the blends are {1}.</source>
      <translation>Es gibt keine Mischung „{0}“; die Mischungen sind {1}.</translation>
    </message>
    <message>
      <source>There is no part “{0}” of a mask; the parts are {1}.</source>
      <translation>Es gibt keinen Teil „{0}“ einer Maske; die Teile sind {1}.</translation>
    </message>
    <message>
      <source>There is no recipe “{0}”; there are {1}.</source>
      <translation>Es gibt kein Rezept „{0}“; es gibt {1}.</translation>
    </message>
    <message>
      <source>There is no scheduler at {0} ({1}).</source>
      <translation>Bei {0} ist kein Verteiler ({1}).</translation>
    </message>
    <message>
      <source>There is no step “{0}”; the steps are {1}.</source>
      <translation>Es gibt keinen Schritt „{0}“; die Schritte sind {1}.</translation>
    </message>
    <message>
      <source>There is not enough memory for this; your work is not lost. Close other pictures and try again.</source>
      <translation>Dafür reicht der Speicher nicht; Ihre Arbeit ist nicht verloren. Schließen Sie andere Bilder und versuchen Sie es erneut.</translation>
    </message>
    <message>
      <source>There is nothing to choose: the file says all of it.</source>
      <translation>Hier gibt es nichts zu wählen: Die Datei sagt alles.</translation>
    </message>
    <message>
      <source>Thickness</source>
      <translation>Dicke</translation>
    </message>
    <message>
      <source>This batch was begun by a newer Dustpan; go on with that, or update this one.</source>
      <translation>Diesen Stapel hat ein neueres Dustpan begonnen; damit weitermachen oder dieses erneuern.</translation>
    </message>
    <message>
      <source>This batch was begun with another {0}; go on without it, or begin anew (--anew).</source>
      <translation>Dieser Stapel wurde anders begonnen ({0}); ohne die Angabe fortsetzen oder neu beginnen (--anew).</translation>
    </message>
    <message>
      <source>This batch was begun with other pictures; go on without naming any, or begin anew (--anew).</source>
      <translation>Dieser Stapel wurde mit anderen Bildern begonnen; ohne Angabe fortsetzen oder neu beginnen (--anew).</translation>
    </message>
    <message>
      <source>This is the picture's own file: export will ask you for another name.</source>
      <translation>Das ist die Datei des Bildes selbst: Der Export wird nach einem anderen Namen fragen.</translation>
    </message>
    <message>
      <source>Threads</source>
      <translation>Threads</translation>
    </message>
    <message>
      <source>Threshold</source>
      <translation>Schwelle</translation>
    </message>
    <message>
      <source>Tint</source>
      <translation>Tönung</translation>
    </message>
    <message>
      <source>To</source>
      <translation>Bis</translation>
    </message>
    <message>
      <source>To {0:.2f}</source>
      <translation>Bis {0:.2f}</translation>
    </message>
    <message>
      <source>Tolerance</source>
      <translation>Toleranz</translation>
    </message>
    <message>
      <source>Tone</source>
      <translation>Ton</translation>
    </message>
    <message>
      <source>Too much strays for a trimmed mean of so few exposures.</source>
      <translation>Zu viel streut für ein gestutztes Mittel so weniger Aufnahmen.</translation>
    </message>
    <message>
      <source>Transmission</source>
      <translation>Durchlass</translation>
    </message>
    <message>
      <source>Transmission of the air</source>
      <translation>Durchlass der Luft</translation>
    </message>
    <message>
      <source>Try only those again that failed</source>
      <translation>Nur die gescheiterten nochmals versuchen</translation>
    </message>
    <message>
      <source>Undo</source>
      <translation>Rückgängig</translation>
    </message>
    <message>
      <source>Undo {0}</source>
      <translation>Rückgängig: {0}</translation>
    </message>
    <message>
      <source>Up to</source>
      <translation>Bis</translation>
    </message>
    <message>
      <source>Up to {0:.0f} px and from {1:.1f} σ: {2} of {3}</source>
      <translation>Bis {0:.0f} px und ab {1:.1f} σ: {2} von {3}</translation>
    </message>
    <message>
      <source>Upright stripes are taken out where they are proven.</source>
      <translation>Senkrechte Streifen werden entfernt, wo sie bewiesen sind.</translation>
    </message>
    <message>
      <source>Use defect map</source>
      <translation>Defektkarte anwenden</translation>
    </message>
    <message>
      <source>Use defect map …</source>
      <translation>Defektkarte anwenden …</translation>
    </message>
    <message>
      <source>Use instead of this sweep</source>
      <translation>Statt dieses Durchgangs verwenden</translation>
    </message>
    <message>
      <source>Values</source>
      <translation>Werte</translation>
    </message>
    <message>
      <source>Veil</source>
      <translation>Schleier</translation>
    </message>
    <message>
      <source>Waits for pictures that come into the folders, and does each once it is complete</source>
      <translation>Wartet auf Bilder, die in die Ordner kommen, und macht jedes, sobald es vollständig ist</translation>
    </message>
    <message>
      <source>Watch for more</source>
      <translation>Auf weitere warten</translation>
    </message>
    <message>
      <source>Watching {0}.</source>
      <translation>{0} wird beobachtet.</translation>
    </message>
    <message>
      <source>What a picture is to be made for is not told in a way that is understood.</source>
      <translation>Wofür ein Bild gemacht werden soll, ist nicht verständlich gesagt.</translation>
    </message>
    <message>
      <source>What a picture without a sweep of its own starts with</source>
      <translation>Womit ein Bild ohne eigenen Durchgang beginnt</translation>
    </message>
    <message>
      <source>What a render has beside the picture; Alt and the wheel go through its passes</source>
      <translation>Was ein gerechnetes Bild außer dem Bild enthält; Alt und das Mausrad gehen durch seine Ebenen</translation>
    </message>
    <message>
      <source>What is as sharp as the sharpest, whatever its contrast</source>
      <translation>Was so scharf ist wie das Schärfste, gleich mit welchem Kontrast</translation>
    </message>
    <message>
      <source>What is done stays; the batch view offers to go on with it the next time.</source>
      <translation>Getanes bleibt; die Stapelansicht bietet das nächste Mal an, weiterzumachen.</translation>
    </message>
    <message>
      <source>What is done to the mask as a whole</source>
      <translation>Was mit der ganzen Maske getan wird</translation>
    </message>
    <message>
      <source>What is done where a name is taken already</source>
      <translation>Was geschieht, wo ein Name schon vergeben ist</translation>
    </message>
    <message>
      <source>What is less likely to lie on the picture stays.</source>
      <translation>Was weniger wahrscheinlich auf dem Bild liegt, bleibt.</translation>
    </message>
    <message>
      <source>What is neutral: as the camera saw it, or set by temperature and tint.</source>
      <translation>Was neutral ist: wie die Kamera es sah, oder durch Temperatur und Tönung eingestellt.</translation>
    </message>
    <message>
      <source>What is of a colour: click on it in the picture, more clicks add</source>
      <translation>Was eine Farbe hat: im Bild darauf klicken, weitere Klicks fügen hinzu</translation>
    </message>
    <message>
      <source>What is suggested for each</source>
      <translation>Was für jedes vorgeschlagen wird</translation>
    </message>
    <message>
      <source>What is there is too dark or too bright to tell its colour; pick another place.</source>
      <translation>Was dort ist, ist zu dunkel oder zu hell für eine Farbe; bitte eine andere Stelle wählen.</translation>
    </message>
    <message>
      <source>What or where</source>
      <translation>Was oder wo</translation>
    </message>
    <message>
      <source>What stands out less, measured in the grain around it, stays as it is.</source>
      <translation>Was weniger heraussticht, gemessen am Korn der Umgebung, bleibt, wie es ist.</translation>
    </message>
    <message>
      <source>What the blur leaves of each frequency</source>
      <translation>Was die Unschärfe von jeder Frequenz übrig lässt</translation>
    </message>
    <message>
      <source>What the pressure of a pen changes</source>
      <translation>Was der Druck eines Stiftes ändert</translation>
    </message>
    <message>
      <source>What the result is compared with; C held shows it</source>
      <translation>Womit das Ergebnis verglichen wird; C halten zeigt es</translation>
    </message>
    <message>
      <source>What this step removed, ×8</source>
      <translation>Was dieser Schritt weggenommen hat, ×8</translation>
    </message>
    <message>
      <source>What to look at by eye stands first.</source>
      <translation>Was man ansehen sollte, steht zuerst.</translation>
    </message>
    <message>
      <source>What was measured</source>
      <translation>Was gemessen wurde</translation>
    </message>
    <message>
      <source>What was measured of this picture before anything is changed</source>
      <translation>Was an diesem Bild gemessen wurde, bevor etwas geändert wird</translation>
    </message>
    <message>
      <source>What was painted and erased, in order.</source>
      <translation>Was gemalt und gelöscht wurde, der Reihe nach.</translation>
    </message>
    <message>
      <source>What was taken away, amplified; Alt and the wheel change the factor</source>
      <translation>Was weggenommen wurde, verstärkt; Alt und das Mausrad ändern den Faktor</translation>
    </message>
    <message>
      <source>When to use it</source>
      <translation>Wann verwenden</translation>
    </message>
    <message>
      <source>When to use it, in one sentence</source>
      <translation>Wann verwenden, in einem Satz</translation>
    </message>
    <message>
      <source>Where brightness changes more than the noise could: outlines and structure</source>
      <translation>Wo sich die Helligkeit mehr ändert, als das Rauschen könnte: Umrisse und Struktur</translation>
    </message>
    <message>
      <source>Where light is near the noise, nothing is raised.</source>
      <translation>Wo das Licht nahe am Rauschen ist, wird nichts angehoben.</translation>
    </message>
    <message>
      <source>Where soft parts meet: by products, or by the larger and the smaller.</source>
      <translation>Wo weiche Teile sich treffen: durch Produkte, oder durch das Größere und das Kleinere.</translation>
    </message>
    <message>
      <source>Where the chosen step applies, over the picture</source>
      <translation>Wo der gewählte Schritt wirkt, über dem Bild</translation>
    </message>
    <message>
      <source>Where there is no texture above the noise</source>
      <translation>Wo keine Textur über dem Rauschen ist</translation>
    </message>
    <message>
      <source>Where there is texture above the noise</source>
      <translation>Wo Textur über dem Rauschen ist</translation>
    </message>
    <message>
      <source>Where this part counts, it does not, and the other way round</source>
      <translation>Wo dieser Teil zählt, zählt er nicht, und umgekehrt</translation>
    </message>
    <message>
      <source>Where this step applies: {0}</source>
      <translation>Wo dieser Schritt wirkt: {0}</translation>
    </message>
    <message>
      <source>Where what was removed has structure: texture that was lost</source>
      <translation>Wo Weggenommenes Struktur hat: Textur, die verloren ging</translation>
    </message>
    <message>
      <source>Where: the step applies {0}. Click to see its where half (H).</source>
      <translation>Wo: der Schritt wirkt {0}. Klicken zeigt seine Wo-Hälfte (H).</translation>
    </message>
    <message>
      <source>Whether the brush adds or takes away (E)</source>
      <translation>Ob der Pinsel hinzufügt oder wegnimmt (E)</translation>
    </message>
    <message>
      <source>Whether this part counts</source>
      <translation>Ob dieser Teil zählt</translation>
    </message>
    <message>
      <source>Which</source>
      <translation>Welche</translation>
    </message>
    <message>
      <source>White</source>
      <translation>Weiß</translation>
    </message>
    <message>
      <source>White end</source>
      <translation>Weiß</translation>
    </message>
    <message>
      <source>White end: {0:.1f} %</source>
      <translation>Weiß: {0:.1f} %</translation>
    </message>
    <message>
      <source>White is picked on pictures that are developed from a sensor's colours.</source>
      <translation>Weiß wählt man auf Bildern, die aus den Farben eines Sensors entwickelt werden.</translation>
    </message>
    <message>
      <source>Whole</source>
      <translation>Ganzes</translation>
    </message>
    <message>
      <source>With the next kept state</source>
      <translation>Mit dem nächsten gemerkten Stand</translation>
    </message>
    <message>
      <source>With the original</source>
      <translation>Mit dem Original</translation>
    </message>
    <message>
      <source>With the state before this step</source>
      <translation>Mit dem Stand vor diesem Schritt</translation>
    </message>
    <message>
      <source>Without bias frames the dark frame is not scaled to the time of an exposure.</source>
      <translation>Ohne Nullbilder wird das Dunkelbild nicht auf die Belichtungszeit umgerechnet.</translation>
    </message>
    <message>
      <source>Without bias frames the flat frames are taken to begin at 0.</source>
      <translation>Ohne Nullbilder gilt, dass Hellbilder bei 0 beginnen.</translation>
    </message>
    <message>
      <source>Working …</source>
      <translation>In Arbeit …</translation>
    </message>
    <message>
      <source>Write it to a file for others</source>
      <translation>In eine Datei für andere schreiben</translation>
    </message>
    <message>
      <source>Write over it</source>
      <translation>Überschreiben</translation>
    </message>
    <message>
      <source>Write the result beside the picture, then show the next one</source>
      <translation>Schreibt das Ergebnis neben das Bild und zeigt das nächste</translation>
    </message>
    <message>
      <source>Write the result to a new file</source>
      <translation>Schreibt das Ergebnis in eine neue Datei</translation>
    </message>
    <message>
      <source>Writing …</source>
      <translation>Wird geschrieben …</translation>
    </message>
    <message>
      <source>Written to {0}.</source>
      <translation>Geschrieben nach {0}.</translation>
    </message>
    <message>
      <source>Zoom</source>
      <translation>Vergrößerung</translation>
    </message>
    <message>
      <source>Zoom; 100 % shows one picture pixel on one screen pixel</source>
      <translation>Vergrößerung; 100 % zeigt ein Bildpixel auf einem Bildschirmpixel</translation>
    </message>
    <message>
      <source>a blur of {0:.2f} px</source>
      <translation>Unschärfe von {0:.2f} px</translation>
    </message>
    <message>
      <source>a blur of {0:.2f} to {1:.2f} px, by place</source>
      <translation>Unschärfe von {0:.2f} bis {1:.2f} px, nach Ort</translation>
    </message>
    <message>
      <source>a blur of {0:.2f} × {1:.2f} px at {2:.0f}°</source>
      <translation>Unschärfe von {0:.2f} × {1:.2f} px bei {2:.0f}°</translation>
    </message>
    <message>
      <source>a disc of {0:.1f} px radius</source>
      <translation>Scheibe mit {0:.1f} px Radius</translation>
    </message>
    <message>
      <source>a draft, within {0:.0f} of 255 at this size</source>
      <translation>ein Entwurf, in dieser Größe bis auf {0:.0f} von 255</translation>
    </message>
    <message>
      <source>a newer Dustpan gave it {0}</source>
      <translation>ein neueres Dustpan gab ihm {0}</translation>
    </message>
    <message>
      <source>a scheduler</source>
      <translation>einem Scheduler</translation>
    </message>
    <message>
      <source>a step in it has no name</source>
      <translation>ein Schritt darin hat keinen Namen</translation>
    </message>
    <message>
      <source>about {0:.0f} min</source>
      <translation>etwa {0:.0f} min</translation>
    </message>
    <message>
      <source>about {0:.0f} s</source>
      <translation>etwa {0:.0f} s</translation>
    </message>
    <message>
      <source>add</source>
      <translation>dazu</translation>
    </message>
    <message>
      <source>add a hit</source>
      <translation>Fund hinzufügen</translation>
    </message>
    <message>
      <source>add {0}</source>
      <translation>{0} hinzufügen</translation>
    </message>
    <message>
      <source>affine</source>
      <translation>affin</translation>
    </message>
    <message>
      <source>after</source>
      <translation>nachher</translation>
    </message>
    <message>
      <source>all</source>
      <translation>alles</translation>
    </message>
    <message>
      <source>all steps</source>
      <translation>alle Schritte</translation>
    </message>
    <message>
      <source>all up to {0:.0f} px</source>
      <translation>alle bis {0:.0f} px</translation>
    </message>
    <message>
      <source>another batch is writing into this folder; wait for it, or choose another</source>
      <translation>ein anderer Stapel schreibt in diesen Ordner; warten Sie auf ihn oder wählen Sie einen anderen</translation>
    </message>
    <message>
      <source>any</source>
      <translation>jede</translation>
    </message>
    <message>
      <source>any ISO</source>
      <translation>jeder ISO</translation>
    </message>
    <message>
      <source>any format</source>
      <translation>jedes Format</translation>
    </message>
    <message>
      <source>apply brightening</source>
      <translation>Aufhellung anwenden</translation>
    </message>
    <message>
      <source>as it is</source>
      <translation>wie es ist</translation>
    </message>
    <message>
      <source>as shot</source>
      <translation>wie aufgenommen</translation>
    </message>
    <message>
      <source>as the file says</source>
      <translation>wie die Datei sagt</translation>
    </message>
    <message>
      <source>at {0:.0f} of 255: σ {1}, set to leave {2:.1f}</source>
      <translation>bei {0:.0f} von 255: σ {1}, bleiben sollen {2:.1f}</translation>
    </message>
    <message>
      <source>banding of {0:.1f} of 255</source>
      <translation>Bänder von {0:.1f} von 255</translation>
    </message>
    <message>
      <source>bare sensor</source>
      <translation>Sensor ohne Filter</translation>
    </message>
    <message>
      <source>before</source>
      <translation>vorher</translation>
    </message>
    <message>
      <source>bench</source>
      <translation>Bank</translation>
    </message>
    <message>
      <source>bias</source>
      <translation>Null</translation>
    </message>
    <message>
      <source>black</source>
      <translation>Schwarz</translation>
    </message>
    <message>
      <source>black and white</source>
      <translation>schwarz-weiß</translation>
    </message>
    <message>
      <source>blotchy</source>
      <translation>fleckig</translation>
    </message>
    <message>
      <source>blue</source>
      <translation>Blau</translation>
    </message>
    <message>
      <source>both</source>
      <translation>beide</translation>
    </message>
    <message>
      <source>bright</source>
      <translation>hell</translation>
    </message>
    <message>
      <source>bright flat</source>
      <translation>helle Fläche</translation>
    </message>
    <message>
      <source>bright star</source>
      <translation>heller Stern</translation>
    </message>
    <message>
      <source>brightened</source>
      <translation>aufgehellt</translation>
    </message>
    <message>
      <source>brightness</source>
      <translation>Helligkeit</translation>
    </message>
    <message>
      <source>brightness {0:+.1f} %</source>
      <translation>Helligkeit {0:+.1f} %</translation>
    </message>
    <message>
      <source>brightness {0:+.1f} %: noise clipped at black had raised the shadows ({1:.1f} % of the values)</source>
      <translation>Helligkeit {0:+.1f} %: bei Schwarz abgeschnittenes Rauschen hatte die Schatten aufgehellt ({1:.1f} % der Werte)</translation>
    </message>
    <message>
      <source>bring back unsaved work</source>
      <translation>ungespeicherte Arbeit zurückholen</translation>
    </message>
    <message>
      <source>brought out by sharpening that was done before</source>
      <translation>durch früheres Schärfen verstärkt</translation>
    </message>
    <message>
      <source>brush</source>
      <translation>Pinsel</translation>
    </message>
    <message>
      <source>brush stroke</source>
      <translation>Pinselstrich</translation>
    </message>
    <message>
      <source>by edges</source>
      <translation>nach Kanten</translation>
    </message>
    <message>
      <source>by hand</source>
      <translation>von Hand</translation>
    </message>
    <message>
      <source>by noise</source>
      <translation>nach Rauschen</translation>
    </message>
    <message>
      <source>came with Dustpan</source>
      <translation>kam mit Dustpan</translation>
    </message>
    <message>
      <source>camera</source>
      <translation>Kamera</translation>
    </message>
    <message>
      <source>camera colours</source>
      <translation>Kamerafarben</translation>
    </message>
    <message>
      <source>cancelled</source>
      <translation>abgebrochen</translation>
    </message>
    <message>
      <source>cancelling …</source>
      <translation>wird abgebrochen …</translation>
    </message>
    <message>
      <source>chain</source>
      <translation>Kette</translation>
    </message>
    <message>
      <source>change how far shadows are pushed or what was removed is amplified</source>
      <translation>ändert, wie sehr Tiefen aufgehellt oder Weggenommenes verstärkt wird</translation>
    </message>
    <message>
      <source>clear</source>
      <translation>deutliches</translation>
    </message>
    <message>
      <source>click on a rim whose colour has to go</source>
      <translation>auf einen Saum klicken, dessen Farbe weg soll</translation>
    </message>
    <message>
      <source>click on something that is neutral</source>
      <translation>auf etwas Neutrales klicken</translation>
    </message>
    <message>
      <source>clip</source>
      <translation>abschneiden</translation>
    </message>
    <message>
      <source>clipped {0}</source>
      <translation>gekappt {0}</translation>
    </message>
    <message>
      <source>coarse</source>
      <translation>grob</translation>
    </message>
    <message>
      <source>coarse colour blotches</source>
      <translation>grobe Farbflecken</translation>
    </message>
    <message>
      <source>col.</source>
      <translation>Farb.</translation>
    </message>
    <message>
      <source>colour</source>
      <translation>Farbe</translation>
    </message>
    <message>
      <source>colour {0:.0f} %</source>
      <translation>Farbe {0:.0f} %</translation>
    </message>
    <message>
      <source>compiling a part of Dustpan, only this once …</source>
      <translation>ein Teil von Dustpan wird übersetzt, nur dieses eine Mal …</translation>
    </message>
    <message>
      <source>content</source>
      <translation>Inhalt</translation>
    </message>
    <message>
      <source>contrast {0:+.0f} %</source>
      <translation>Kontrast {0:+.0f} %</translation>
    </message>
    <message>
      <source>contrast, σ</source>
      <translation>Kontrast, σ</translation>
    </message>
    <message>
      <source>copy the mask</source>
      <translation>Maske kopieren</translation>
    </message>
    <message>
      <source>corner</source>
      <translation>Ecke</translation>
    </message>
    <message>
      <source>covers {0:.0f} %</source>
      <translation>bedeckt {0:.0f} %</translation>
    </message>
    <message>
      <source>cycles per px</source>
      <translation>Perioden je px</translation>
    </message>
    <message>
      <source>dark</source>
      <translation>dunkel</translation>
    </message>
    <message>
      <source>dark flat</source>
      <translation>dunkle Fläche</translation>
    </message>
    <message>
      <source>directional</source>
      <translation>gerichtet</translation>
    </message>
    <message>
      <source>disc</source>
      <translation>Scheibe</translation>
    </message>
    <message>
      <source>done</source>
      <translation>fertig</translation>
    </message>
    <message>
      <source>down to {0:.0f} % of the light</source>
      <translation>bis hinab zu {0:.0f} % des Lichts</translation>
    </message>
    <message>
      <source>draw the line that the edge profile follows</source>
      <translation>zeichnet die Linie, der der Kantenverlauf folgt</translation>
    </message>
    <message>
      <source>duplicate {0}</source>
      <translation>{0} verdoppeln</translation>
    </message>
    <message>
      <source>edge width after</source>
      <translation>Kantenbreite</translation>
    </message>
    <message>
      <source>edges</source>
      <translation>Kanten</translation>
    </message>
    <message>
      <source>edges {0} → {1} px</source>
      <translation>Kanten {0} → {1} px</translation>
    </message>
    <message>
      <source>ellipse</source>
      <translation>Ellipse</translation>
    </message>
    <message>
      <source>empty sky</source>
      <translation>leerer Himmel</translation>
    </message>
    <message>
      <source>encoded</source>
      <translation>kodiert</translation>
    </message>
    <message>
      <source>erase</source>
      <translation>Löschstrich</translation>
    </message>
    <message>
      <source>every {0:.1f} px: {1:.1f} × the floor</source>
      <translation>alle {0:.1f} px: {1:.1f} × Grund</translation>
    </message>
    <message>
      <source>everything up to {0:.0f} px</source>
      <translation>alles bis {0:.0f} px</translation>
    </message>
    <message>
      <source>everywhere</source>
      <translation>überall</translation>
    </message>
    <message>
      <source>everywhere except</source>
      <translation>überall außer</translation>
    </message>
    <message>
      <source>everywhere except brush</source>
      <translation>überall außer Pinsel</translation>
    </message>
    <message>
      <source>everywhere; choose where:</source>
      <translation>überall; wählen Sie, wo:</translation>
    </message>
    <message>
      <source>exact</source>
      <translation>genau</translation>
    </message>
    <message>
      <source>except</source>
      <translation>außer</translation>
    </message>
    <message>
      <source>excess of 255</source>
      <translation>Überschuss von 255</translation>
    </message>
    <message>
      <source>exporting {0} …</source>
      <translation>{0} wird exportiert …</translation>
    </message>
    <message>
      <source>exposure</source>
      <translation>Belichtung</translation>
    </message>
    <message>
      <source>exposure {0:+g} EV</source>
      <translation>Belichtung {0:+g} EV</translation>
    </message>
    <message>
      <source>extremes</source>
      <translation>Extreme</translation>
    </message>
    <message>
      <source>failed</source>
      <translation>fehlgeschlagen</translation>
    </message>
    <message>
      <source>faint structure</source>
      <translation>schwache Struktur</translation>
    </message>
    <message>
      <source>fine</source>
      <translation>fein</translation>
    </message>
    <message>
      <source>fine grain</source>
      <translation>feines Korn</translation>
    </message>
    <message>
      <source>fine scratches</source>
      <translation>feine Kratzer</translation>
    </message>
    <message>
      <source>fine, pixel by pixel</source>
      <translation>fein, Pixel für Pixel</translation>
    </message>
    <message>
      <source>finest</source>
      <translation>feinst</translation>
    </message>
    <message>
      <source>finest texture</source>
      <translation>feinste Textur</translation>
    </message>
    <message>
      <source>first</source>
      <translation>erste</translation>
    </message>
    <message>
      <source>flat</source>
      <translation>Hell</translation>
    </message>
    <message>
      <source>float values</source>
      <translation>Gleitkommawerte</translation>
    </message>
    <message>
      <source>format</source>
      <translation>Format</translation>
    </message>
    <message>
      <source>found</source>
      <translation>gefunden</translation>
    </message>
    <message>
      <source>from steps of {0:.1f}</source>
      <translation>ab Stufen von {0:.1f}</translation>
    </message>
    <message>
      <source>from {0:.0f} × floor</source>
      <translation>ab {0:.0f} × Grund</translation>
    </message>
    <message>
      <source>from {0:.0f} σ</source>
      <translation>ab {0:.0f} σ</translation>
    </message>
    <message>
      <source>full {0:.1f} %</source>
      <translation>voll {0:.1f} %</translation>
    </message>
    <message>
      <source>glint</source>
      <translation>Glanzlicht</translation>
    </message>
    <message>
      <source>glint kept</source>
      <translation>Glanzlicht erhalten</translation>
    </message>
    <message>
      <source>gradient</source>
      <translation>Verlauf</translation>
    </message>
    <message>
      <source>grain raised by {0:.0f} %</source>
      <translation>Korn um {0:.0f} % verstärkt</translation>
    </message>
    <message>
      <source>green</source>
      <translation>Grün</translation>
    </message>
    <message>
      <source>halo height</source>
      <translation>Halohöhe</translation>
    </message>
    <message>
      <source>halo map</source>
      <translation>Halokarte</translation>
    </message>
    <message>
      <source>halos</source>
      <translation>Halos</translation>
    </message>
    <message>
      <source>halos {0:.0f} → {1:.0f} %</source>
      <translation>Halos {0:.0f} → {1:.0f} %</translation>
    </message>
    <message>
      <source>halos {0} %</source>
      <translation>Halos {0} %</translation>
    </message>
    <message>
      <source>handing back …</source>
      <translation>wird übergeben …</translation>
    </message>
    <message>
      <source>hard light</source>
      <translation>hartes Licht</translation>
    </message>
    <message>
      <source>hardest edge</source>
      <translation>härteste Kante</translation>
    </message>
    <message>
      <source>hardly any</source>
      <translation>kaum</translation>
    </message>
    <message>
      <source>hardly any of it lies between black and white</source>
      <translation>kaum etwas davon liegt zwischen Schwarz und Weiß</translation>
    </message>
    <message>
      <source>held: the other side</source>
      <translation>gehalten: die andere Seite</translation>
    </message>
    <message>
      <source>held: the palette of views; a digit chooses one</source>
      <translation>gehalten: die Auswahl der Ansichten; eine Ziffer wählt eine</translation>
    </message>
    <message>
      <source>how sure</source>
      <translation>wie sicher</translation>
    </message>
    <message>
      <source>hue, degrees</source>
      <translation>Farbton, Grad</translation>
    </message>
    <message>
      <source>in focus</source>
      <translation>im Fokus</translation>
    </message>
    <message>
      <source>in the highlights</source>
      <translation>in den Lichtern</translation>
    </message>
    <message>
      <source>in the middle tones</source>
      <translation>in den Mitten</translation>
    </message>
    <message>
      <source>in the shadows</source>
      <translation>in den Tiefen</translation>
    </message>
    <message>
      <source>in {0} of the picture</source>
      <translation>in {0} des Bildes</translation>
    </message>
    <message>
      <source>it changed again and again while it was worked on</source>
      <translation>es hat sich während der Arbeit immer wieder geändert</translation>
    </message>
    <message>
      <source>it claims to be {0} × {1} px, which is more than the {2} megapixels that Dustpan opens</source>
      <translation>sie gibt {0} × {1} px an, mehr als die {2} Megapixel, die Dustpan öffnet</translation>
    </message>
    <message>
      <source>it could not be set aside: {0}; nothing was changed</source>
      <translation>ließ sich nicht beiseitelegen: {0}; nichts wurde geändert</translation>
    </message>
    <message>
      <source>it could not be written: {0}</source>
      <translation>sie konnte nicht geschrieben werden: {0}</translation>
    </message>
    <message>
      <source>it could not be written: {0}; nothing was changed</source>
      <translation>sie konnte nicht geschrieben werden: {0}; nichts wurde geändert</translation>
    </message>
    <message>
      <source>it depends on the paths that light took, {0:.1f} times as strong in some places as in others</source>
      <translation>es hängt von den Wegen des Lichts ab und ist mancherorts {0:.1f}-mal so stark wie anderswo</translation>
    </message>
    <message>
      <source>it does not have the size and kind of the input ({0} × {1} px, {2})</source>
      <translation>sie hat nicht Größe und Art der Vorlage ({0} × {1} px, {2})</translation>
    </message>
    <message>
      <source>it does not have the size and kind of the result</source>
      <translation>sie hat nicht Größe und Art des Ergebnisses</translation>
    </message>
    <message>
      <source>it has fewer channels than its colours need</source>
      <translation>sie hat weniger Kanäle, als ihre Farben brauchen</translation>
    </message>
    <message>
      <source>it has more pixels than a defect map may have</source>
      <translation>sie hat mehr Pixel, als eine Defektkarte haben darf</translation>
    </message>
    <message>
      <source>it has no channels R, G and B, nor Y; it has {0}</source>
      <translation>sie hat keine Kanäle R, G und B und kein Y; sie hat {0}</translation>
    </message>
    <message>
      <source>it has no steps</source>
      <translation>es hat keine Schritte</translation>
    </message>
    <message>
      <source>it has one colour and no pattern of a filter; the file is damaged or of an unknown camera</source>
      <translation>sie hat eine Farbe und kein Muster eines Filters; die Datei ist beschädigt oder von einer unbekannten Kamera</translation>
    </message>
    <message>
      <source>it has {0} pages, so there is no page {1}</source>
      <translation>sie hat {0} Seiten, also keine Seite {1}</translation>
    </message>
    <message>
      <source>it has {0} steps; at most {1} can be used</source>
      <translation>hat {0} Schritte; höchstens {1} können verwendet werden</translation>
    </message>
    <message>
      <source>it has {0} × {1} px, and the others of its kind have another size</source>
      <translation>sie hat {0} × {1} px, und die anderen ihrer Art haben eine andere Größe</translation>
    </message>
    <message>
      <source>it has {0} × {1} px, and the {2} frames have another size</source>
      <translation>sie hat {0} × {1} px, und die {2}bilder haben eine andere Größe</translation>
    </message>
    <message>
      <source>it holds deep data, several samples in one place, which Dustpan does not open</source>
      <translation>sie enthält Tiefendaten, mehrere Werte an einer Stelle, die Dustpan nicht öffnet</translation>
    </message>
    <message>
      <source>it holds no image</source>
      <translation>sie enthält kein Bild</translation>
    </message>
    <message>
      <source>it holds no pixels</source>
      <translation>sie enthält keine Pixel</translation>
    </message>
    <message>
      <source>it holds {0} images, so there is no image {1}</source>
      <translation>sie enthält {0} Bilder, also kein Bild {1}</translation>
    </message>
    <message>
      <source>it is CMYK with a damaged colour profile; convert it to RGB first</source>
      <translation>sie ist CMYK mit beschädigtem Farbprofil; wandeln Sie sie zuerst in RGB um</translation>
    </message>
    <message>
      <source>it is CMYK without a colour profile, so its colours are not defined; convert it to RGB first</source>
      <translation>sie ist CMYK ohne Farbprofil, ihre Farben sind also nicht bestimmt; wandeln Sie sie zuerst in RGB um</translation>
    </message>
    <message>
      <source>it is a folder, not a file</source>
      <translation>es ist ein Ordner, keine Datei</translation>
    </message>
    <message>
      <source>it is a link, and no journal of a batch; it is left as it is</source>
      <translation>es ist eine Verknüpfung und kein Journal eines Stapels; es bleibt, wie es ist</translation>
    </message>
    <message>
      <source>it is a multi-part file; Dustpan opens files of one part with its layers</source>
      <translation>sie hat mehrere Teile; Dustpan öffnet Dateien mit einem Teil und seinen Ebenen</translation>
    </message>
    <message>
      <source>it is a pipe or a device, and no file that can be read</source>
      <translation>es ist eine Pipe oder ein Gerät und keine Datei, die gelesen werden kann</translation>
    </message>
    <message>
      <source>it is as weak and as grey as fine texture is</source>
      <translation>es ist so schwach und so grau wie feine Textur</translation>
    </message>
    <message>
      <source>it is empty</source>
      <translation>sie ist leer</translation>
    </message>
    <message>
      <source>it is no journal of a batch; it is left as it is</source>
      <translation>es ist kein Journal eines Stapels; es bleibt, wie es ist</translation>
    </message>
    <message>
      <source>it is no picture that Dustpan can open ({0})</source>
      <translation>es ist kein Bild, das Dustpan öffnen kann ({0})</translation>
    </message>
    <message>
      <source>it is no raw file that LibRaw knows</source>
      <translation>es ist keine Rohdatei, die LibRaw kennt</translation>
    </message>
    <message>
      <source>it is not a defect map, or damaged</source>
      <translation>sie ist keine Defektkarte oder beschädigt</translation>
    </message>
    <message>
      <source>it is not a recipe</source>
      <translation>es ist kein Rezept</translation>
    </message>
    <message>
      <source>it is not a recipe: it is damaged, or something else</source>
      <translation>es ist kein Rezept: beschädigt oder etwas anderes</translation>
    </message>
    <message>
      <source>it is not a sweep file</source>
      <translation>es ist keine Durchgangsdatei</translation>
    </message>
    <message>
      <source>it is not a sweep file: it holds no text</source>
      <translation>es ist keine Durchgangsdatei: sie enthält keinen Text</translation>
    </message>
    <message>
      <source>it is not one flat picture (its samples have the shape {0})</source>
      <translation>es ist kein einzelnes flaches Bild (seine Werte haben die Form {0})</translation>
    </message>
    <message>
      <source>it is one of the files that are read here and is not written over; choose another</source>
      <translation>es ist eine der Dateien, die hier gelesen werden, und wird nicht überschrieben; bitte eine andere wählen</translation>
    </message>
    <message>
      <source>it is texture nearly all over, which hides the noise</source>
      <translation>es ist fast überall Textur, die das Rauschen verdeckt</translation>
    </message>
    <message>
      <source>it is the picture itself; choose another name or allow replacing it (--in-place)</source>
      <translation>das ist das Bild selbst; wählen Sie einen anderen Namen oder erlauben Sie, es zu ersetzen (--in-place)</translation>
    </message>
    <message>
      <source>it looks as if it was put together from two pictures, but that is not proven</source>
      <translation>es sieht aus wie aus zwei Bildern zusammengesetzt; bewiesen ist das nicht</translation>
    </message>
    <message>
      <source>it needs more memory than there is</source>
      <translation>sie braucht mehr Speicher, als da ist</translation>
    </message>
    <message>
      <source>it was made by a newer Dustpan</source>
      <translation>er stammt von einem neueren Dustpan</translation>
    </message>
    <message>
      <source>it was put together from two pictures, one {0:.1f} times as noisy as the other</source>
      <translation>es wurde aus zwei Bildern zusammengesetzt, eines {0:.1f}-mal so verrauscht wie das andere</translation>
    </message>
    <message>
      <source>it was written by a newer Dustpan; open it there, or update this one</source>
      <translation>sie stammt von einem neueren Dustpan; öffnen Sie sie dort oder erneuern Sie dieses</translation>
    </message>
    <message>
      <source>its 16-bit samples cannot be read</source>
      <translation>ihre 16-Bit-Werte lassen sich nicht lesen</translation>
    </message>
    <message>
      <source>its CMYK samples are of a kind that Dustpan does not open</source>
      <translation>ihre CMYK-Werte sind von einer Art, die Dustpan nicht öffnet</translation>
    </message>
    <message>
      <source>its axes ({0}) are not those of one picture</source>
      <translation>ihre Achsen ({0}) sind nicht die eines Bildes</translation>
    </message>
    <message>
      <source>its channel {0} is missing</source>
      <translation>ihr Kanal {0} fehlt</translation>
    </message>
    <message>
      <source>its channels differ in size</source>
      <translation>ihre Kanäle sind verschieden groß</translation>
    </message>
    <message>
      <source>its colours ({0}) are of a kind that Dustpan does not open</source>
      <translation>ihre Farben ({0}) sind von einer Art, die Dustpan nicht öffnet</translation>
    </message>
    <message>
      <source>its ending says no format that can be written; use one of {0}</source>
      <translation>ihre Endung nennt kein Format, das geschrieben werden kann; möglich sind {0}</translation>
    </message>
    <message>
      <source>its layer</source>
      <translation>ihre Ebene</translation>
    </message>
    <message>
      <source>its levels are wrong: black {0:.0f}, white {1}</source>
      <translation>ihre Pegel stimmen nicht: Schwarz {0:.0f}, Weiß {1}</translation>
    </message>
    <message>
      <source>its name is too long</source>
      <translation>ihr Name ist zu lang</translation>
    </message>
    <message>
      <source>its noise is {0:.1f} times as strong in some parts as in others of the same brightness, as lifting makes it</source>
      <translation>sein Rauschen ist an manchen Stellen {0:.1f}-mal so stark wie an anderen derselben Helligkeit, wie beim Aufhellen</translation>
    </message>
    <message>
      <source>its patches hold something dark: no haze is proven</source>
      <translation>seine Stellen haben etwas Dunkles: kein Dunst bewiesen</translation>
    </message>
    <message>
      <source>its samples ({0} bits) are of a kind that Dustpan does not open</source>
      <translation>ihre Werte ({0} Bit) sind von einer Art, die Dustpan nicht öffnet</translation>
    </message>
    <message>
      <source>its samples ({0}) are of a kind that Dustpan does not open</source>
      <translation>ihre Werte ({0}) sind von einer Art, die Dustpan nicht öffnet</translation>
    </message>
    <message>
      <source>its version is damaged</source>
      <translation>ihre Versionsangabe ist beschädigt</translation>
    </message>
    <message>
      <source>its worker ended {0} times while it was at it</source>
      <translation>sein Arbeiter endete dabei {0}-mal</translation>
    </message>
    <message>
      <source>keep the mask as {0}</source>
      <translation>Maske als {0} behalten</translation>
    </message>
    <message>
      <source>kept mask</source>
      <translation>behaltene Maske</translation>
    </message>
    <message>
      <source>kept, not applied</source>
      <translation>behalten, nicht angewandt</translation>
    </message>
    <message>
      <source>last</source>
      <translation>letzte</translation>
    </message>
    <message>
      <source>leave it out</source>
      <translation>weglassen</translation>
    </message>
    <message>
      <source>left alone</source>
      <translation>bleibt, wie es ist</translation>
    </message>
    <message>
      <source>left for you</source>
      <translation>Ihnen überlassen</translation>
    </message>
    <message>
      <source>levels</source>
      <translation>Pegel</translation>
    </message>
    <message>
      <source>light</source>
      <translation>leichtes</translation>
    </message>
    <message>
      <source>light let through</source>
      <translation>durchgelassenes Licht</translation>
    </message>
    <message>
      <source>likely</source>
      <translation>wahrscheinliche</translation>
    </message>
    <message>
      <source>likely lamps: look first</source>
      <translation>wohl Lampen: erst ansehen</translation>
    </message>
    <message>
      <source>linear</source>
      <translation>linear</translation>
    </message>
    <message>
      <source>linear light</source>
      <translation>lineares Licht</translation>
    </message>
    <message>
      <source>looking for the blur and the amounts …</source>
      <translation>Unschärfe und Beträge werden gesucht …</translation>
    </message>
    <message>
      <source>looking for the lowest strengths …</source>
      <translation>suche die kleinsten Stärken …</translation>
    </message>
    <message>
      <source>looking for the sky …</source>
      <translation>suche den Himmel …</translation>
    </message>
    <message>
      <source>looking for the worst place …</source>
      <translation>suche die schlechteste Stelle …</translation>
    </message>
    <message>
      <source>looking …</source>
      <translation>suche …</translation>
    </message>
    <message>
      <source>looks exact at this size</source>
      <translation>sieht in dieser Größe exakt aus</translation>
    </message>
    <message>
      <source>lost texture</source>
      <translation>verlorene Textur</translation>
    </message>
    <message>
      <source>lum.</source>
      <translation>Hell.</translation>
    </message>
    <message>
      <source>luma</source>
      <translation>Luma</translation>
    </message>
    <message>
      <source>luminance</source>
      <translation>Helligkeit</translation>
    </message>
    <message>
      <source>mask</source>
      <translation>Maske</translation>
    </message>
    <message>
      <source>mask “{0}”</source>
      <translation>Maske „{0}“</translation>
    </message>
    <message>
      <source>mean</source>
      <translation>Mittel</translation>
    </message>
    <message>
      <source>mean moved</source>
      <translation>Helligkeit</translation>
    </message>
    <message>
      <source>measured</source>
      <translation>gemessen</translation>
    </message>
    <message>
      <source>measuring …</source>
      <translation>wird gemessen …</translation>
    </message>
    <message>
      <source>median</source>
      <translation>Median</translation>
    </message>
    <message>
      <source>medium</source>
      <translation>mittel</translation>
    </message>
    <message>
      <source>middle flat</source>
      <translation>mittlere Fläche</translation>
    </message>
    <message>
      <source>mm</source>
      <translation>mm</translation>
    </message>
    <message>
      <source>mono</source>
      <translation>einfarbig</translation>
    </message>
    <message>
      <source>mosaic</source>
      <translation>Mosaik</translation>
    </message>
    <message>
      <source>most of its samples are not numbers</source>
      <translation>die meisten ihrer Werte sind keine Zahlen</translation>
    </message>
    <message>
      <source>motion of {0:.1f} px at {1:.0f}°</source>
      <translation>Bewegung von {0:.1f} px bei {1:.0f}°</translation>
    </message>
    <message>
      <source>move {0}</source>
      <translation>{0} verschieben</translation>
    </message>
    <message>
      <source>name</source>
      <translation>Name</translation>
    </message>
    <message>
      <source>name taken</source>
      <translation>Name vergeben</translation>
    </message>
    <message>
      <source>names</source>
      <translation>Namen</translation>
    </message>
    <message>
      <source>nearly all of it is clipped to black or white</source>
      <translation>fast alles ist auf Schwarz oder Weiß beschnitten</translation>
    </message>
    <message>
      <source>neutral</source>
      <translation>neutral</translation>
    </message>
    <message>
      <source>newest</source>
      <translation>Neueste</translation>
    </message>
    <message>
      <source>no blur</source>
      <translation>keine Unschärfe</translation>
    </message>
    <message>
      <source>no colour stands out</source>
      <translation>keine Farbe sticht hervor</translation>
    </message>
    <message>
      <source>no limit</source>
      <translation>keine Grenze</translation>
    </message>
    <message>
      <source>no noise is left for it</source>
      <translation>kein Rauschen mehr da</translation>
    </message>
    <message>
      <source>no such place in this picture</source>
      <translation>keine solche Stelle in diesem Bild</translation>
    </message>
    <message>
      <source>noise left</source>
      <translation>Restrauschen</translation>
    </message>
    <message>
      <source>noise left {0} %</source>
      <translation>Restrauschen {0} %</translation>
    </message>
    <message>
      <source>noise map</source>
      <translation>Rauschkarte</translation>
    </message>
    <message>
      <source>noise model</source>
      <translation>Rauschmodell</translation>
    </message>
    <message>
      <source>noise of {0:.0f} % of the light, usually</source>
      <translation>Rauschen von meist {0:.0f} % des Lichts</translation>
    </message>
    <message>
      <source>noise {0:.0f} → {1:.0f} %</source>
      <translation>Rauschen {0:.0f} → {1:.0f} %</translation>
    </message>
    <message>
      <source>none</source>
      <translation>keine</translation>
    </message>
    <message>
      <source>none of its samples is a number</source>
      <translation>keiner ihrer Werte ist eine Zahl</translation>
    </message>
    <message>
      <source>normal</source>
      <translation>normal</translation>
    </message>
    <message>
      <source>not sharpened</source>
      <translation>nicht geschärft</translation>
    </message>
    <message>
      <source>not {0}</source>
      <translation>nicht {0}</translation>
    </message>
    <message>
      <source>nothing</source>
      <translation>nichts</translation>
    </message>
    <message>
      <source>nothing applied</source>
      <translation>nichts angewandt</translation>
    </message>
    <message>
      <source>nothing measured</source>
      <translation>nichts gemessen</translation>
    </message>
    <message>
      <source>nothing proven</source>
      <translation>nichts bewiesen</translation>
    </message>
    <message>
      <source>number the new one</source>
      <translation>das neue nummerieren</translation>
    </message>
    <message>
      <source>of 255</source>
      <translation>von 255</translation>
    </message>
    <message>
      <source>of 255 beyond both sides</source>
      <translation>von 255 über beide Seiten hinaus</translation>
    </message>
    <message>
      <source>of a step off</source>
      <translation>einer Stufe daneben</translation>
    </message>
    <message>
      <source>of any colour</source>
      <translation>jeder Farbe</translation>
    </message>
    <message>
      <source>off</source>
      <translation>aus</translation>
    </message>
    <message>
      <source>only renders in linear light have them</source>
      <translation>nur gerechnete Bilder in linearem Licht haben welche</translation>
    </message>
    <message>
      <source>only where</source>
      <translation>nur wo</translation>
    </message>
    <message>
      <source>opacity</source>
      <translation>Deckkraft</translation>
    </message>
    <message>
      <source>opacity must be a number from 0 to 1, not “{0}”.</source>
      <translation>opacity muss eine Zahl von 0 bis 1 sein, nicht „{0}“.</translation>
    </message>
    <message>
      <source>overlay</source>
      <translation>ineinander</translation>
    </message>
    <message>
      <source>own</source>
      <translation>eigene</translation>
    </message>
    <message>
      <source>page {0}, {1} × {2} px</source>
      <translation>Seite {0}, {1} × {2} px</translation>
    </message>
    <message>
      <source>part of its path is not a folder</source>
      <translation>ein Teil ihres Pfads ist kein Ordner</translation>
    </message>
    <message>
      <source>pass of the file</source>
      <translation>Ebene der Datei</translation>
    </message>
    <message>
      <source>pass: {0}</source>
      <translation>Ebene: {0}</translation>
    </message>
    <message>
      <source>paused</source>
      <translation>angehalten</translation>
    </message>
    <message>
      <source>period</source>
      <translation>Periode</translation>
    </message>
    <message>
      <source>pick</source>
      <translation>wählen</translation>
    </message>
    <message>
      <source>pick a colour</source>
      <translation>Farbe wählen</translation>
    </message>
    <message>
      <source>picked</source>
      <translation>gewählt</translation>
    </message>
    <message>
      <source>picked: {0:.0f}°</source>
      <translation>gewählt: {0:.0f}°</translation>
    </message>
    <message>
      <source>picture</source>
      <translation>Bild</translation>
    </message>
    <message>
      <source>previewing on {0} …</source>
      <translation>Vorschau an {0} …</translation>
    </message>
    <message>
      <source>print</source>
      <translation>Druck</translation>
    </message>
    <message>
      <source>processes</source>
      <translation>Prozesse</translation>
    </message>
    <message>
      <source>product</source>
      <translation>Produkt</translation>
    </message>
    <message>
      <source>proven</source>
      <translation>bewiesen</translation>
    </message>
    <message>
      <source>put a hit back</source>
      <translation>Fund zurücklegen</translation>
    </message>
    <message>
      <source>px</source>
      <translation>px</translation>
    </message>
    <message>
      <source>px/mm</source>
      <translation>px/mm</translation>
    </message>
    <message>
      <source>quality</source>
      <translation>Qualität</translation>
    </message>
    <message>
      <source>quick</source>
      <translation>schnell</translation>
    </message>
    <message>
      <source>recipe {0}</source>
      <translation>Rezept {0}</translation>
    </message>
    <message>
      <source>recover</source>
      <translation>gewinnen</translation>
    </message>
    <message>
      <source>red</source>
      <translation>Rot</translation>
    </message>
    <message>
      <source>red {0:+.1f}, blue {1:+.1f} px at the corner</source>
      <translation>Rot {0:+.1f}, Blau {1:+.1f} px in der Ecke</translation>
    </message>
    <message>
      <source>red {0:.1f}, blue {1:.1f} px blurrier</source>
      <translation>Rot {0:.1f}, Blau {1:.1f} px unschärfer</translation>
    </message>
    <message>
      <source>remove {0}</source>
      <translation>{0} entfernen</translation>
    </message>
    <message>
      <source>removed</source>
      <translation>Weggenommen</translation>
    </message>
    <message>
      <source>removed ×{0:g}</source>
      <translation>Weggenommen ×{0:g}</translation>
    </message>
    <message>
      <source>repair what was found</source>
      <translation>Gefundenes reparieren</translation>
    </message>
    <message>
      <source>replace it</source>
      <translation>ersetzen</translation>
    </message>
    <message>
      <source>return to {0}</source>
      <translation>zurück zu {0}</translation>
    </message>
    <message>
      <source>rgb</source>
      <translation>RGB</translation>
    </message>
    <message>
      <source>rigid</source>
      <translation>starr</translation>
    </message>
    <message>
      <source>rim</source>
      <translation>Saum</translation>
    </message>
    <message>
      <source>rims up to {0:.0f} px</source>
      <translation>Säume bis {0:.0f} px</translation>
    </message>
    <message>
      <source>rough parts</source>
      <translation>raue Teile</translation>
    </message>
    <message>
      <source>round</source>
      <translation>rund</translation>
    </message>
    <message>
      <source>rule for taken names</source>
      <translation>Regel für belegte Namen</translation>
    </message>
    <message>
      <source>rungs</source>
      <translation>Stufen</translation>
    </message>
    <message>
      <source>sRGB</source>
      <translation>sRGB</translation>
    </message>
    <message>
      <source>saved {0}</source>
      <translation>{0} gespeichert</translation>
    </message>
    <message>
      <source>scene-linear</source>
      <translation>szenenlinear</translation>
    </message>
    <message>
      <source>scratches kept</source>
      <translation>Kratzer erhalten</translation>
    </message>
    <message>
      <source>screen</source>
      <translation>Bildschirm</translation>
    </message>
    <message>
      <source>set</source>
      <translation>eingestellt</translation>
    </message>
    <message>
      <source>shadows</source>
      <translation>Tiefen</translation>
    </message>
    <message>
      <source>shadows +{0:g} EV</source>
      <translation>Tiefen +{0:g} EV</translation>
    </message>
    <message>
      <source>share</source>
      <translation>Anteil</translation>
    </message>
    <message>
      <source>sharpened for it</source>
      <translation>dafür geschärft</translation>
    </message>
    <message>
      <source>shift</source>
      <translation>verschoben</translation>
    </message>
    <message>
      <source>sigma</source>
      <translation>Sigma</translation>
    </message>
    <message>
      <source>size</source>
      <translation>Größe</translation>
    </message>
    <message>
      <source>small star</source>
      <translation>kleiner Stern</translation>
    </message>
    <message>
      <source>smooth</source>
      <translation>glatt</translation>
    </message>
    <message>
      <source>smooth parts</source>
      <translation>glatte Teile</translation>
    </message>
    <message>
      <source>soft light</source>
      <translation>weiches Licht</translation>
    </message>
    <message>
      <source>soft, clumped by demosaicing, compression or earlier cleaning</source>
      <translation>weich, verklumpt durch Demosaicing, Kompression oder früheres Entrauschen</translation>
    </message>
    <message>
      <source>soft, clumped grain</source>
      <translation>weiches, verklumptes Korn</translation>
    </message>
    <message>
      <source>something went wrong inside Dustpan ({0}).</source>
      <translation>in Dustpan ist etwas schiefgegangen ({0}).</translation>
    </message>
    <message>
      <source>spotlight</source>
      <translation>Spotlicht</translation>
    </message>
    <message>
      <source>stars</source>
      <translation>Sterne</translation>
    </message>
    <message>
      <source>state</source>
      <translation>Zustand</translation>
    </message>
    <message>
      <source>step size</source>
      <translation>Stufenhöhe</translation>
    </message>
    <message>
      <source>steps</source>
      <translation>Schritte</translation>
    </message>
    <message>
      <source>steps of {0:.0f} of 255</source>
      <translation>Stufen von {0:.0f} von 255</translation>
    </message>
    <message>
      <source>steps of {0:.0f} of 255, told by the file</source>
      <translation>Schritte von {0:.0f} von 255, aus der Datei</translation>
    </message>
    <message>
      <source>steps of {0:.0f} of 255, told from the picture</source>
      <translation>Schritte von {0:.0f} von 255, am Bild erkannt</translation>
    </message>
    <message>
      <source>steps of {0:.1f}: a good JPEG</source>
      <translation>Schritte von {0:.1f}: ein gutes JPEG</translation>
    </message>
    <message>
      <source>stopped before it was exact</source>
      <translation>angehalten, bevor es genau war</translation>
    </message>
    <message>
      <source>strength from the test strip</source>
      <translation>Stärke vom Probestreifen</translation>
    </message>
    <message>
      <source>strong</source>
      <translation>starkes</translation>
    </message>
    <message>
      <source>strong: look first</source>
      <translation>stark: erst ansehen</translation>
    </message>
    <message>
      <source>suggested sharpening</source>
      <translation>vorgeschlagene Schärfung</translation>
    </message>
    <message>
      <source>suggested strengths</source>
      <translation>vorgeschlagene Stärken</translation>
    </message>
    <message>
      <source>sweep of {0}</source>
      <translation>Durchgang von {0}</translation>
    </message>
    <message>
      <source>take a hit</source>
      <translation>Fund nehmen</translation>
    </message>
    <message>
      <source>take out {0}</source>
      <translation>{0} herausnehmen</translation>
    </message>
    <message>
      <source>texture</source>
      <translation>Textur</translation>
    </message>
    <message>
      <source>texture kept</source>
      <translation>Textur behalten</translation>
    </message>
    <message>
      <source>texture kept {0} %</source>
      <translation>Textur behalten {0} %</translation>
    </message>
    <message>
      <source>texture {0:.0f} → {1:.0f} %</source>
      <translation>Textur {0:.0f} → {1:.0f} %</translation>
    </message>
    <message>
      <source>the FITS file is cut off: part of its pixels is missing</source>
      <translation>die FITS-Datei ist abgeschnitten: Ein Teil der Pixel fehlt</translation>
    </message>
    <message>
      <source>the OpenEXR file is damaged or cut off and cannot be read</source>
      <translation>die OpenEXR-Datei ist beschädigt oder abgeschnitten und nicht lesbar</translation>
    </message>
    <message>
      <source>the PNG file is cut off within its first bytes</source>
      <translation>die PNG-Datei bricht in den ersten Bytes ab</translation>
    </message>
    <message>
      <source>the TIFF file holds no pixels</source>
      <translation>die TIFF-Datei enthält keine Pixel</translation>
    </message>
    <message>
      <source>the TIFF file is cut off: part of its pixels is missing</source>
      <translation>die TIFF-Datei ist abgeschnitten: ein Teil ihrer Pixel fehlt</translation>
    </message>
    <message>
      <source>the colours of its filter ({0}) are none that Dustpan develops</source>
      <translation>die Farben ihres Filters ({0}) entwickelt Dustpan nicht</translation>
    </message>
    <message>
      <source>the disk cannot hold a file of that size</source>
      <translation>der Datenträger fasst keine so große Datei</translation>
    </message>
    <message>
      <source>the disk is full</source>
      <translation>der Datenträger ist voll</translation>
    </message>
    <message>
      <source>the disk is read-only</source>
      <translation>der Datenträger ist schreibgeschützt</translation>
    </message>
    <message>
      <source>the disk quota is used up</source>
      <translation>das Speicherkontingent ist erschöpft</translation>
    </message>
    <message>
      <source>the disk reported an error</source>
      <translation>der Datenträger meldete einen Fehler</translation>
    </message>
    <message>
      <source>the edges that it sharpens</source>
      <translation>die Kanten, die geschärft werden</translation>
    </message>
    <message>
      <source>the folder cannot be made</source>
      <translation>der Ordner kann nicht angelegt werden</translation>
    </message>
    <message>
      <source>the folder could not be made: {0}</source>
      <translation>der Ordner konnte nicht angelegt werden: {0}</translation>
    </message>
    <message>
      <source>the mask of a step in it is damaged</source>
      <translation>die Maske eines Schritts darin ist beschädigt</translation>
    </message>
    <message>
      <source>the masks in it are damaged</source>
      <translation>die Masken darin sind beschädigt</translation>
    </message>
    <message>
      <source>the picture has not been developed; add the step Develop</source>
      <translation>das Bild ist nicht entwickelt; bitte den Schritt Entwickeln hinzufügen</translation>
    </message>
    <message>
      <source>the picture is too small to tell noise from content</source>
      <translation>das Bild ist zu klein, um Rauschen von Inhalt zu unterscheiden</translation>
    </message>
    <message>
      <source>the raw file is damaged or cut off ({0})</source>
      <translation>die Rohdatei ist beschädigt oder abgeschnitten ({0})</translation>
    </message>
    <message>
      <source>the step {0} in it is damaged</source>
      <translation>der Schritt {0} darin ist beschädigt</translation>
    </message>
    <message>
      <source>the sweep file is damaged; the picture itself is not affected</source>
      <translation>die Durchgangsdatei ist beschädigt; das Bild selbst ist nicht betroffen</translation>
    </message>
    <message>
      <source>the {0} file is damaged or cut off and cannot be read</source>
      <translation>die {0}-Datei ist beschädigt oder abgeschnitten und lässt sich nicht lesen</translation>
    </message>
    <message>
      <source>the {0} writer refused it ({1})</source>
      <translation>das Schreiben als {0} wurde verweigert ({1})</translation>
    </message>
    <message>
      <source>there is no such file</source>
      <translation>eine solche Datei gibt es nicht</translation>
    </message>
    <message>
      <source>there is not enough memory for it.</source>
      <translation>dafür reicht der Speicher nicht.</translation>
    </message>
    <message>
      <source>this Dustpan does not know it</source>
      <translation>dieses Dustpan kennt ihn nicht</translation>
    </message>
    <message>
      <source>this Dustpan does not know the blend “{0}”</source>
      <translation>dieses Dustpan kennt das Mischen „{0}“ nicht</translation>
    </message>
    <message>
      <source>this program</source>
      <translation>diesem Programm</translation>
    </message>
    <message>
      <source>this step</source>
      <translation>diesem Schritt</translation>
    </message>
    <message>
      <source>tint</source>
      <translation>Tönung</translation>
    </message>
    <message>
      <source>tones</source>
      <translation>Töne</translation>
    </message>
    <message>
      <source>tones, squared</source>
      <translation>Töne, quadriert</translation>
    </message>
    <message>
      <source>transmission</source>
      <translation>Durchlass</translation>
    </message>
    <message>
      <source>trimmed mean</source>
      <translation>gestutztes Mittel</translation>
    </message>
    <message>
      <source>under a second</source>
      <translation>unter einer Sekunde</translation>
    </message>
    <message>
      <source>unknown step</source>
      <translation>unbekannter Schritt</translation>
    </message>
    <message>
      <source>up to {0:.0f} px</source>
      <translation>bis {0:.0f} px</translation>
    </message>
    <message>
      <source>use a defect map</source>
      <translation>Defektkarte anwenden</translation>
    </message>
    <message>
      <source>value</source>
      <translation>Wert</translation>
    </message>
    <message>
      <source>very strong</source>
      <translation>sehr starkes</translation>
    </message>
    <message>
      <source>vivid light</source>
      <translation>grelles Licht</translation>
    </message>
    <message>
      <source>waits</source>
      <translation>wartet</translation>
    </message>
    <message>
      <source>what to know</source>
      <translation>zu wissen</translation>
    </message>
    <message>
      <source>what was found</source>
      <translation>was gefunden wurde</translation>
    </message>
    <message>
      <source>white</source>
      <translation>Weiß</translation>
    </message>
    <message>
      <source>width, px</source>
      <translation>Breite, px</translation>
    </message>
    <message>
      <source>worst place {0} of {1}</source>
      <translation>schlechteste Stelle {0} von {1}</translation>
    </message>
    <message>
      <source>written to {0}</source>
      <translation>geschrieben nach {0}</translation>
    </message>
    <message>
      <source>you have no right to change it</source>
      <translation>Sie dürfen sie nicht ändern</translation>
    </message>
    <message>
      <source>you have no right to read or write it</source>
      <translation>Sie dürfen sie nicht lesen oder schreiben</translation>
    </message>
    <message>
      <source>{0:+.1f} EV from the sensor's white</source>
      <translation>{0:+.1f} EV vom Weiß des Sensors</translation>
    </message>
    <message>
      <source>{0:+.1f} px: {1:.0f} → {2:.0f} of 255</source>
      <translation>{0:+.1f} px: {1:.0f} → {2:.0f} von 255</translation>
    </message>
    <message>
      <source>{0:.0f} % of its samples lie above its white level; the levels may be wrong.</source>
      <translation>{0:.0f} % der Werte liegen über dem Weißpegel; die Pegel stimmen vielleicht nicht.</translation>
    </message>
    <message>
      <source>{0:.0f} % of the picture lets less than {1:.0f} % of the light through</source>
      <translation>{0:.0f} % des Bildes lassen weniger als {1:.0f} % des Lichts durch</translation>
    </message>
    <message>
      <source>{0:.0f} % of the veil</source>
      <translation>{0:.0f} % des Schleiers</translation>
    </message>
    <message>
      <source>{0:.0f} % of the veil is lifted</source>
      <translation>{0:.0f} % des Schleiers werden gehoben</translation>
    </message>
    <message>
      <source>{0:.0f} % taken out</source>
      <translation>{0:.0f} % herausgenommen</translation>
    </message>
    <message>
      <source>{0:.0f} % to {1:.0f} %</source>
      <translation>{0:.0f} % bis {1:.0f} %</translation>
    </message>
    <message>
      <source>{0:.0f} bands of lamps, {1:.0f} %</source>
      <translation>{0:.0f} Lampenbänder, {1:.0f} %</translation>
    </message>
    <message>
      <source>{0:.0f} dB over chance</source>
      <translation>{0:.0f} dB über dem Zufall</translation>
    </message>
    <message>
      <source>{0:.0f} min left</source>
      <translation>noch {0:.0f} min</translation>
    </message>
    <message>
      <source>{0:.0f} s left</source>
      <translation>noch {0:.0f} s</translation>
    </message>
    <message>
      <source>{0:.1f} % becomes {1:.0f} %</source>
      <translation>{0:.1f} % wird {1:.0f} %</translation>
    </message>
    <message>
      <source>{0:.2f} % of the values stray; from {1:g} to {2:g} % none of them comes through.</source>
      <translation>{0:.2f} % der Werte streuen; von {1:g} bis {2:g} % kommt keiner davon durch.</translation>
    </message>
    <message>
      <source>{0:.2f} cycles/px: the blur leaves {1:.0f} %, the result has {2:.0f} %</source>
      <translation>{0:.2f} Perioden/px: die Unschärfe lässt {1:.0f} %, das Ergebnis hat {2:.0f} %</translation>
    </message>
    <message>
      <source>{0:.2f} px</source>
      <translation>{0:.2f} px</translation>
    </message>
    <message>
      <source>{0:.2g} / {1:.2g}× · {2:.0f} px</source>
      <translation>{0:.2g} / {1:.2g}× · {2:.0f} px</translation>
    </message>
    <message>
      <source>{0:.2g} ×noise</source>
      <translation>{0:.2g} ×Rauschen</translation>
    </message>
    <message>
      <source>{0:.2g}× lum · {1:.2g}× col</source>
      <translation>{0:.2g}× hell · {1:.2g}× Farbe</translation>
    </message>
    <message>
      <source>{0:.2g}× noise</source>
      <translation>{0:.2g}× Rauschen</translation>
    </message>
    <message>
      <source>{0:g} to {1:g} {2}</source>
      <translation>{0:g} bis {1:g} {2}</translation>
    </message>
    <message>
      <source>{0} The suggested sweep is shown instead; the file was left as it is.</source>
      <translation>{0} Stattdessen wird der vorgeschlagene Durchgang gezeigt; die Datei blieb, wie sie ist.</translation>
    </message>
    <message>
      <source>{0} and {1} would both be written to {2}; give them other names or folders.</source>
      <translation>{0} und {1} würden beide nach {2} geschrieben; gib ihnen andere Namen oder Ordner.</translation>
    </message>
    <message>
      <source>{0} bit</source>
      <translation>{0} Bit</translation>
    </message>
    <message>
      <source>{0} bit float</source>
      <translation>{0} Bit Gleitkomma</translation>
    </message>
    <message>
      <source>{0} bit raw</source>
      <translation>{0} Bit roh</translation>
    </message>
    <message>
      <source>{0} bits</source>
      <translation>{0} Bit</translation>
    </message>
    <message>
      <source>{0} cannot be used here.</source>
      <translation>{0} ist hier nicht verwendbar.</translation>
    </message>
    <message>
      <source>{0} cannot hold {1}</source>
      <translation>{0} fasst keine {1}</translation>
    </message>
    <message>
      <source>{0} does not work on a picture of this kind ({1}).</source>
      <translation>{0} kann mit einem Bild dieser Art nichts anfangen ({1}).</translation>
    </message>
    <message>
      <source>{0} done</source>
      <translation>{0} fertig</translation>
    </message>
    <message>
      <source>{0} failed</source>
      <translation>{0} gescheitert</translation>
    </message>
    <message>
      <source>{0} found</source>
      <translation>{0} gefunden</translation>
    </message>
    <message>
      <source>{0} found, the doubtful ones first</source>
      <translation>{0} gefunden, die zweifelhaften zuerst</translation>
    </message>
    <message>
      <source>{0} has no parameter “{1}”; it has {2}.</source>
      <translation>{0} hat keinen Regler „{1}“; es gibt {2}.</translation>
    </message>
    <message>
      <source>{0} holds at most {1} px a side; choose TIFF or PNG</source>
      <translation>{0} fasst höchstens {1} px je Seite; wählen Sie TIFF oder PNG</translation>
    </message>
    <message>
      <source>{0} in all, {1:.0f} s</source>
      <translation>{0} insgesamt, {1:.0f} s</translation>
    </message>
    <message>
      <source>{0} in it is damaged</source>
      <translation>{0} darin ist beschädigt</translation>
    </message>
    <message>
      <source>{0} is the file of an open picture and is not written over.</source>
      <translation>{0} ist die Datei eines offenen Bildes und wird nicht überschrieben.</translation>
    </message>
    <message>
      <source>{0} is the noisiest channel</source>
      <translation>{0} rauscht am stärksten</translation>
    </message>
    <message>
      <source>{0} left for you</source>
      <translation>{0} Ihnen überlassen</translation>
    </message>
    <message>
      <source>{0} loses a little of the picture; TIFF and PNG keep every sample.</source>
      <translation>{0} verliert ein wenig vom Bild; TIFF und PNG behalten jeden Wert.</translation>
    </message>
    <message>
      <source>{0} makes another kind of picture; it cannot be blended or limited.</source>
      <translation>{0} macht ein Bild anderer Art; der Schritt kann nicht gemischt oder begrenzt werden.</translation>
    </message>
    <message>
      <source>{0} must be a number from 0 to {1:g}, not “{2}”.</source>
      <translation>{0} muss eine Zahl von 0 bis {1:g} sein, nicht „{2}“.</translation>
    </message>
    <message>
      <source>{0} noise in all tones</source>
      <translation>{0} Rauschen in allen Tönen</translation>
    </message>
    <message>
      <source>{0} noise {1}</source>
      <translation>{0} Rauschen {1}</translation>
    </message>
    <message>
      <source>{0} not begun</source>
      <translation>{0} nicht begonnen</translation>
    </message>
    <message>
      <source>{0} of at least {1:.1f} σ</source>
      <translation>{0} ab {1:.1f} σ</translation>
    </message>
    <message>
      <source>{0} of up to {1:.0f} px</source>
      <translation>{0} bis {1:.0f} px</translation>
    </message>
    <message>
      <source>{0} of {1}</source>
      <translation>{0} von {1}</translation>
    </message>
    <message>
      <source>{0} of {1} tiles exact</source>
      <translation>{0} von {1} Kacheln genau</translation>
    </message>
    <message>
      <source>{0} off</source>
      <translation>{0} aus</translation>
    </message>
    <message>
      <source>{0} on</source>
      <translation>{0} an</translation>
    </message>
    <message>
      <source>{0} pixels were saved in {1}.</source>
      <translation>{0} Pixel wurden in {1} gespeichert.</translation>
    </message>
    <message>
      <source>{0} rims</source>
      <translation>{0} Säume</translation>
    </message>
    <message>
      <source>{0} rims, up to {1:.0f} of 255</source>
      <translation>{0} Säume, bis {1:.0f} von 255</translation>
    </message>
    <message>
      <source>{0} samples are not numbers; they are kept as they are.</source>
      <translation>{0} Werte sind keine Zahlen; sie bleiben, wie sie sind.</translation>
    </message>
    <message>
      <source>{0} samples are saturated.</source>
      <translation>{0} Werte sind gesättigt.</translation>
    </message>
    <message>
      <source>{0} samples of {1} were not numbers; they were filled from their neighbours.</source>
      <translation>{0} Werte von {1} waren keine Zahlen; sie wurden aus ihren Nachbarn ergänzt.</translation>
    </message>
    <message>
      <source>{0} steps</source>
      <translation>{0} Schritte</translation>
    </message>
    <message>
      <source>{0} was saved; the sweep that was there before is now {1}.</source>
      <translation>{0} wurde gespeichert; der Durchgang, der vorher da war, heißt jetzt {1}.</translation>
    </message>
    <message>
      <source>{0} would ask: {1}.</source>
      <translation>{0} würde fragen: {1}.</translation>
    </message>
    <message>
      <source>{0} would be written over {1}, which is one of the pictures.</source>
      <translation>{0} würde über {1} geschrieben, das eines der Bilder ist.</translation>
    </message>
    <message>
      <source>{0} · where</source>
      <translation>{0} · wo</translation>
    </message>
    <message>
      <source>{0} × {1} px are written, with the colour profile.</source>
      <translation>{0} × {1} px werden geschrieben, mit dem Farbprofil.</translation>
    </message>
    <message>
      <source>{0}, before and after</source>
      <translation>{0}, vorher und nachher</translation>
    </message>
    <message>
      <source>{0}, off</source>
      <translation>{0}, aus</translation>
    </message>
    <message>
      <source>{0}, {1:.0f} % sure</source>
      <translation>{0}, {1:.0f} % sicher</translation>
    </message>
    <message>
      <source>{0}: Develop was added, for a sensor's samples have to be developed.</source>
      <translation>{0}: Entwickeln wurde hinzugefügt, denn Werte eines Sensors müssen entwickelt werden.</translation>
    </message>
    <message>
      <source>{0}: it counts everywhere now</source>
      <translation>{0}: gilt nun überall</translation>
    </message>
    <message>
      <source>{0}: {1:.0f} % of the strength</source>
      <translation>{0}: {1:.0f} % der Stärke</translation>
    </message>
    <message>
      <source>{0}: {1:.1f}, others about {2:.1f}</source>
      <translation>{0}: {1:.1f}, andere etwa {2:.1f}</translation>
    </message>
    <message>
      <source>{0}: {1} must be a number from {2:g} to {3:g}{4}, not {5!r}.</source>
      <translation>{0}: {1} muss eine Zahl von {2:g} bis {3:g}{4} sein, nicht {5!r}.</translation>
    </message>
    <message>
      <source>{0}: {1} must be one of {2}.</source>
      <translation>{0}: {1} muss eines davon sein: {2}.</translation>
    </message>
    <message>
      <source>{0}: {1}, which has its place in that picture</source>
      <translation>{0}: {1}, mit seinem Platz in jenem Bild</translation>
    </message>
    <message>
      <source>{0}: {1}, {2} of them</source>
      <translation>{0}: {1}, {2} davon</translation>
    </message>
    <message>
      <source>{0}: {1}. Export unaffected.</source>
      <translation>{0}: {1}. Export unverändert.</translation>
    </message>
    <message>
      <source>× floor</source>
      <translation>× Grund</translation>
    </message>
    <message>
      <source>× local noise σ</source>
      <translation>× örtl. σ</translation>
    </message>
    <message>
      <source>× noise</source>
      <translation>× Rauschen</translation>
    </message>
    <message>
      <source>× the spectrum's floor</source>
      <translation>× Grund des Spektrums</translation>
    </message>
    <message>
      <source>×noise</source>
      <translation>×Rauschen</translation>
    </message>
    <message>
      <source>ΔE</source>
      <translation>ΔE</translation>
    </message>
    <message>
      <source>σ</source>
      <translation>σ</translation>
    </message>
    <message>
      <source>σ above the light around</source>
      <translation>σ über dem Licht der Umgebung</translation>
    </message>
    <message>
      <source>σ above the sky</source>
      <translation>σ über dem Himmel</translation>
    </message>
    <message>
      <source>σ narrower than the picture's own peaks</source>
      <translation>σ schmaler als die Spitzen des Bildes</translation>
    </message>
    <message>
      <source>σ of 255</source>
      <translation>σ von 255</translation>
    </message>
    <message>
      <source>σ of the light</source>
      <translation>σ des Lichts</translation>
    </message>
    <message>
      <source>σ {0:.0f} % of the light or less in {1:.0f} % of the picture</source>
      <translation>σ {0:.0f} % des Lichts oder weniger in {1:.0f} % des Bildes</translation>
    </message>
    <message>
      <source>σ {0:.1f}/255</source>
      <translation>σ {0:.1f}/255</translation>
    </message>
    <message>
      <source>“{0}” came with Dustpan and stays as it is; duplicate it to change it.</source>
      <translation>„{0}“ kam mit Dustpan und bleibt, wie es ist; duplizieren Sie es, um es zu ändern.</translation>
    </message>
    <message>
      <source>“{0}” cannot be changed here: {1}.</source>
      <translation>„{0}“ lässt sich hier nicht ändern: {1}.</translation>
    </message>
    <message>
      <source>“{0}” in --step must be name=value.</source>
      <translation>„{0}“ in --step muss Name=Wert sein.</translation>
    </message>
    <message>
      <source>“{0}” is no way to combine; use mean, median, trim:LO-HI, sigma:K or model:K.</source>
      <translation>„{0}“ ist keine Art zu kombinieren; möglich sind mean, median, trim:LO-HI, sigma:K oder model:K.</translation>
    </message>
    <message>
      <source>“{0}” must begin with @ for the first part of a mask, then with +, &amp; or -.</source>
      <translation>„{0}“ muss mit @ für den ersten Teil einer Maske beginnen, dann mit +, &amp; oder -.</translation>
    </message>
    <message>
      <source>• has unsaved work</source>
      <translation>• hat ungespeicherte Arbeit</translation>
    </message>
  </context>
</TS>
