/** What is said under F1: a page for each station, written for the person at the machine. */
export type Station = "floor" | "lines" | "run" | "print" | "bench" | "shelf";
export type Topic = { title: string; words: string[] };
export type Page = { station: Station; title: string; begin: string; topics: Topic[] };

export const PAGES: Page[] = [
  {
    station: "floor",
    title: "Floor",
    begin: "What needs your hands stands on top. Press it, and you are where it is done.",
    topics: [
      {
        title: "Which one first?",
        words: [
          "From left to right: what keeps a machine from working comes before what is next for one. A blade to put in, a " +
            "print that broke off, care that is due, then film, sheets to load, pieces to count.",
          "Film is not asked for while the ink dries; the time from which it is dry stands there instead.",
        ],
      },
      {
        title: "A customer asks where the job is",
        words: [
          "Press Ctrl K and type the name, the customer or the frame code on the print. A scanner can type the code.",
          "The five strips under a job are its steps: lines, run, print, film, cut. Green is done, brown is begun.",
        ],
      },
      {
        title: "Handing over",
        words: [
          "Open the job and press Hand over. If only a part is good, hand that over now and the rest later; each time " +
            "gets a slip with a number.",
          "A job is done when all that is due was handed over. When more is wanted, raise its count in Lines and it is open again.",
        ],
      },
      {
        title: "Saving stock",
        words: [
          "At the bottom stand jobs that fit one run, with the metres that saves, estimated. R makes the run.",
          "Say the stock of a job on its page: jobs of one stock are offered together.",
        ],
      },
      {
        title: "What does it cost?",
        words: [
          "Open the job: what it costs stands below its designs, for several counts side by side, and beside it what it has cost so " +
            "far. The customer gets “Quote as PDF”, which shows prices and nothing of what they are made of.",
          "Hours, setting up and the margin are on the Shelf under Prices. Work by hand is said at the side of the job.",
        ],
      },
      {
        title: "The customer wants to see it first",
        words: [
          "Make a proof at the side of the job and send the PDF. It shows each side of a decal as it is seen, and of rows the first " +
            "and the last. The job waits until you say what the customer answered. A change of size, line, count or colour asks again.",
        ],
      },
      {
        title: "The same again, or out of the way",
        words: [
          "At the foot of a job, a run or a design stands “as a whole”: once more, put away, saved as a file, deleted. What was " +
            "printed or handed over is never deleted; put away, no list shows it and Ctrl K finds it.",
        ],
      },
      {
        title: "What was printed last month?",
        words: ["Press Records beside This week: metres and loss by month and stock, and every print with its fit and its miss."],
      },
      {
        title: "The queue of a printer",
        words: ["Press “3 wait” beside its name. Drag a print to another place, press Next to put it first, or Hold to put it by."],
      },
    ],
  },
  {
    station: "lines",
    title: "Lines",
    begin: "Drop the customer's file. The obvious line is there at once; look at it, then press Enter; Enter again brings the next.",
    topics: [
      {
        title: "Many files at once",
        words: [
          "Drop them together, or their folder, or copy them elsewhere and press Ctrl V: they become one job. The first " +
            "opens; work on while the others come in. The strip below counts them, and lists what could not be read.",
          "G shows all of them with their lines. What is ticked is ready with one Enter; what is told in amber may be cut wrong: " +
            "open it, or tick it when it is right. Without a size? Type the width once for all of them.",
          "Set a width, a count or a line once: “The same for others” gives it to those of the job that you have not looked at yet.",
        ],
      },
      {
        title: "It does not say how large it is",
        words: ["Type the width: 60, 2 1/2 in, 3*25.4. As wide as takes all that a stock allows."],
      },
      {
        title: "The line is in the wrong place",
        words: [
          "E looks for the edge again. O opens the offset: drag its slider, and the line follows.",
          "If the ground is not found, pick its colour in the art. R puts a rectangle round it, whatever the art.",
        ],
      },
      {
        title: "The file has its own cut lines",
        words: [
          "Line rules catch them by name, layer or colour and take them out of the print. Press P and click a path that " +
            "was not caught; All like it, then Always, makes a rule of it.",
          "A finding under To look at takes you to the place: F goes to the next one.",
        ],
      },
      {
        title: "White, clear, bleed",
        words: [
          "White and clear lays white under the art or inside the line. A layer or a colour of the art can be white too.",
          "Bleed carries the colours at the edge past the line. Half the gap between pieces is the most.",
        ],
      },
      {
        title: "Every copy different: names, numbers, codes",
        words: [
          "Make every copy different opens the rows. Take in the table (CSV or workbook); T puts a text on the art, C a code. " +
            "In braces stands what the row says: {Name}, {Serial}.",
          "Check every row before you print: what does not fit, is missing or double is told with its row, and one press " +
            "leaves those rows out.",
          "Serials count up without a table too, with a check character if you want one.",
        ],
      },
      {
        title: "Sleeves, boxes, tags: folded",
        words: [
          "See it folded turns the panels about their creases, with the art on them. What goes through what, glue flaps that " +
            "carry ink and creases under ink are listed; every crease has its angle, less than 0 towards the printed side.",
          "Draw a flat form makes a box, tube, sleeve or tag from the size of the goods and the thickness of the card; points are " +
            "thousandths of an inch: 10 points are 0.01 in.",
        ],
      },
      {
        title: "Larger than the stock: tiles",
        words: [
          "Larger than the stock takes the art apart. Choose the stock; E sets even seams, C finds seams where least is cut " +
            "and that spare faces, and any seam can be dragged or typed. Draw a window with W, what no seam may cross with K.",
          "Press a tile to lift it off. Enter makes the tiles, then their run: one to a frame, with its number beside it. " +
            "Assembly shows how they go together.",
        ],
      },
      {
        title: "Special inks, decals for both sides",
        words: [
          "Put the ink on the Shelf first. Under White, clear, other inks say where it lies, or which layer or colour of the art means it.",
          "Seen from both sides lays colour, white, blocker, white and colour on clear stock. Print shows the stack of layers; the " +
            "arrows change it.",
        ],
      },
      {
        title: "Braille on a sign",
        words: [
          "Write what the sign says under Braille and put it into dots: the cells stand beside it, with what is read back out of them. " +
            "Have a reader of braille proof it before you print.",
          "The dots are a plate of their own. On the Shelf the printer says that it lays down braille.",
        ],
      },
      {
        title: "Always the same settings",
        words: ["Recipe, at the bottom: keep these choices under a name, and use them for other art in one press. Undo takes it back."],
      },
    ],
  },
  {
    station: "run",
    title: "Run",
    begin: "Choose designs with A, then N lays them on the roll.",
    topics: [
      {
        title: "Something does not fit",
        words: [
          "Stock and machines says what limits the width: stock, printer, film or cutter. Change one, and marks and " +
            "frames are laid anew.",
          "A run longer than the cutter reads is split into frames by itself; no piece crosses from one to the next.",
        ],
      },
      {
        title: "Moving pieces by hand",
        words: [
          "Drag a piece. Dropped where it may not lie, it goes to the nearest place where it may. , and . turn it, P " +
            "pins it, D doubles it, the arrows move it by a millimetre.",
        ],
      },
      {
        title: "Grids, blanks, sheets",
        words: [
          "Laying puts pieces in a straight grid, or one on each place of a bed plan. Where it lies begins a run " +
            "anywhere on the stock, from either edge, or on sheets; the last sheet can be filled.",
          "What is shaded between the marks is left over; What is left says how many more pieces fit there.",
        ],
      },
      {
        title: "Blanks on a flat bed",
        words: [
          "Pieces on the places of a bed, blanks where they are set down: B shows the bed. Drag a blank, or choose it and type " +
            "how far it lies from the left and from the near edge. A double press on the bare bed sets down one more.",
          "Marks stand round the bed: all is cut as it lies there. Or on each blank: the bed is printed at once, and then every " +
            "blank goes to the cutter by itself, which knows it by its code.",
          "Keep as a holder keeps the places; on the Shelf a holder is drawn, and made a design that can be cut.",
        ],
      },
      {
        title: "Words beside a frame",
        words: [
          "Words beside it changes what is printed behind the letters of the code: run, customer and date, your own " +
            "words with fields in braces, or nothing. The feed arrow goes to the other side.",
        ],
      },
      { title: "Filling up", words: ["F adds copies wherever they still fit. Fill the roll adds whole frames until the roll is used."] },
      {
        title: "Which layout is better?",
        words: ["K sets this one aside, C shows all that were set aside at one scale, with length and cost."],
      },
      {
        title: "Labels on a running web",
        words: [
          "Label webs, below the roll, draws one repeat with its figures on it: press one and type. What is wrong is said with its " +
            "place. A black mark follows the rules of your finisher, which you type as its book says.",
          "Enter makes the print file and the cut files. They are read back before you get them: both match, or you get none.",
        ],
      },
    ],
  },
  {
    station: "print",
    title: "Print",
    begin: "Look at Before it is sent: what has an exclamation mark has to be put right. Then send it.",
    topics: [
      {
        title: "The printer holds something else",
        words: [
          "If it only calls your stock by another name, press That is it, once. If another roll lies there, put yours on " +
            "and scan its label.",
        ],
      },
      {
        title: "Nobody knows whether it was printed",
        words: ["Ask the printer. If it does not know, look yourself and say so: it is printed, it is spoiled, or nothing came out."],
      },
      {
        title: "Printing again",
        words: ["Print again keeps the codes, so the cut still fits. A print that was given up is booked as far as it got."],
      },
      {
        title: "Colours",
        words: [
          "S shows the plate as sent, on this stock, and out of reach: striped where the inks cannot follow. Press a " +
            "place for its colour in the art, in ink and on the stock.",
          "A strip of patches in the tail row tells a reprint from the first print: photograph it and take the picture in.",
        ],
      },
      {
        title: "Film",
        words: [
          "When the ink is dry, put film on and say so. Frames that were not severed dry from the last one on and get " +
            "film together, unless you cut them off.",
        ],
      },
    ],
  },
  {
    station: "bench",
    title: "Bench",
    begin: "Lay the sheet as the picture shows, M reads its marks. Go, check or stop says what to expect; Enter cuts.",
    topics: [
      {
        title: "A mark is not found",
        words: [
          "Lead the head to it: arrows or a click move it, Enter takes the place. With fewer marks the fit says itself " +
            "whether it is safe.",
          "Without an eye on the cutter, lead the head to each mark at its panel, or read the marks from a photo with P.",
        ],
      },
      {
        title: "Check or stop",
        words: [
          "The tint on the sheet is where the cut may miss most. A mark that lies is named and left out.",
          "Cut one piece first with O and look at it. A test shape beside the work tries a new blade.",
        ],
      },
      {
        title: "Something went wrong under the knife",
        words: [
          "H stops within two seconds of motion. What was cut is noted; nothing goes on by itself.",
          "Say of the lines that were under the knife, in amber: cut, to be cut again, or spoiled.",
        ],
      },
      {
        title: "Spoiled pieces",
        words: [
          "After the cut click them, or Shift and drag a box. Cut them once more where they lie, or print them again: a " +
            "run of just these. Where the job is late, that run begins by itself ten minutes after the last click; you send it.",
        ],
      },
      {
        title: "A whole roll",
        words: [
          "Cut the whole roll reads, fits and cuts every sheet that waits, one after the other, and sets aside what it " + "may not cut.",
        ],
      },
    ],
  },
  {
    station: "shelf",
    title: "Shelf",
    begin: "What the shop has. Click a thing, change a value on the right; Ctrl Z takes it back.",
    topics: [
      {
        title: "A new machine",
        words: [
          "Set up the shop, from the Floor, asks in the order of the work. Ask it who it is proves which machine answers at an address.",
          "Then cut the test cards: force, knife offset, print to cut. What you read off them becomes a setting.",
        ],
      },
      {
        title: "Care",
        words: [
          "At a machine: what it wants again and again, by days, by metres or by hours without work. What is due stands on the Floor.",
          "Nothing with white is printed while the white's own care is due, if you say so.",
        ],
      },
      {
        title: "Rolls",
        words: [
          "Save its label to print, stick it on the core, scan it at the printer. When you measure another length, say " +
            "why; the ledger adds up.",
        ],
      },
      {
        title: "Recipes and drop folders",
        words: [
          "A recipe is a set of choices under your own name. A folder that is watched turns what is put into it into " +
            "print files by a recipe; what it cannot take lies in refused, with the reason.",
        ],
      },
      {
        title: "Who may what",
        words: [
          "Press your name at the right of the bar. Owners let people in by a link, put them away, and see what was done. " +
            "Addresses of machines, watched folders, recipes that send by themselves and copies of the shop are theirs.",
          "Operators do all else. Who may only look sees the work, and neither prices nor the books; buttons that change it are grey.",
          "A password is forgotten: an owner makes a link for a new one. The only owner's: “etiquette link” on the machine itself.",
        ],
      },
      {
        title: "Several people at one screen",
        words: [
          "Say so when you sign in. Then the next person presses the name in the bar and types a PIN, or scans a badge; both " +
            "are made in Your account.",
          "Whoever goes on by PIN or badge does not have an owner's rights there: sign in with the password for these.",
        ],
      },
      {
        title: "Another computer",
        words: [
          "Save the Shelf keeps all of it as a file. Take in a file shows what is new or other than here, and takes what " + "you tick.",
        ],
      },
    ],
  },
];

/** Topics that have all words that are looked for, those of the open station first; without any, its own. */
export function found(text: string, station: Station): { page: Page; topic: Topic }[] {
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  const pages = [...PAGES].sort((one, other) => Number(other.station === station) - Number(one.station === station));
  if (words.length === 0) return (pages[0]?.topics ?? []).map((topic) => ({ page: pages[0]!, topic }));
  return pages.flatMap((page) =>
    page.topics
      .filter((topic) => {
        const said = `${topic.title} ${topic.words.join(" ")}`.toLowerCase();
        return words.every((word) => said.includes(word));
      })
      .map((topic) => ({ page, topic })),
  );
}
