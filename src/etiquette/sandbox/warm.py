"""What the children of the door need, imported once by their warm parent. Nothing here opens a file from outside."""

import PIL.Image

import etiquette.core.artwork.dxf_reader
import etiquette.core.artwork.pdf_reader
import etiquette.core.artwork.raster
import etiquette.core.artwork.svg_reader
import etiquette.core.printing.coarser
import etiquette.core.printing.corrected
import etiquette.core.printing.previews
import etiquette.core.printing.soft_proof
import etiquette.sandbox.drawing
import etiquette.sandbox.looks
import etiquette.sandbox.plates
import etiquette.sandbox.profiles
import etiquette.sandbox.proofing
import etiquette.sandbox.reading
import etiquette.sandbox.strips
import etiquette.sandbox.web_pairs  # noqa: F401

PIL.Image.init()  # every decoder, so that a child need not look for them
