package post

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path"
	"strings"

	"greenbaton/core/copy"
	"greenbaton/core/ref"
	"greenbaton/format"
	"greenbaton/newsroom"
)

// Folders writes pages as Markdown with front matter into folders below one, each with its
// pictures and its recording in a folder of its own beside it.
type Folders struct {
	Below string                                              // made if it is not there
	write func(root *os.Root, name string, data []byte) error // for tests of a full disk; nil writes
}

// slugKey is under what a parcel keeps the name that its page has in the folder.
const slugKey = "file"

// Put writes a page. What is there already is replaced in one step, once all of the new is
// written; a page that had another name is removed after that.
func (f Folders) Put(ctx context.Context, p *newsroom.Parcel) (string, error) {
	root, err := f.open(p.Outlet.Folder)
	if err != nil {
		return "", err
	}
	defer root.Close()
	slug := p.Page.Slug
	page, files, err := f.page(ctx, p)
	if err != nil {
		return "", err
	}
	if len(files) > 0 {
		if err := root.MkdirAll(slug, 0o755); err != nil {
			return "", fmt.Errorf("make the folder of its pictures: %w", err)
		}
	}
	for _, x := range files {
		data, err := p.Open(ctx, x.file)
		if err != nil {
			return "", err
		}
		if err := f.put(root, slug+"/"+x.name, data.Data); err != nil {
			return "", err
		}
	}
	if err := f.put(root, slug+".md", page); err != nil {
		return "", err
	}
	if was := p.Media[slugKey]; was != "" && was != slug {
		if err := remove(root, was); err != nil {
			return "", err
		}
	}
	p.Media[slugKey] = slug
	return p.Outlet.Page(slug, p.Page.Number, p.Page.First), nil
}

// Take removes a page with its pictures; none there is no error.
func (f Folders) Take(_ context.Context, p *newsroom.Parcel) error {
	root, err := f.open(p.Outlet.Folder)
	if err != nil {
		return err
	}
	defer root.Close()
	slug := p.Media[slugKey]
	if slug == "" {
		slug = p.Page.Slug
	}
	return remove(root, slug)
}

// Try writes a file into the folder and removes it, and says how a page would begin.
func (f Folders) Try(ctx context.Context, p *newsroom.Parcel) ([]string, error) {
	root, err := f.open(p.Outlet.Folder)
	if err != nil {
		return nil, err
	}
	defer root.Close()
	if err := f.put(root, "try", []byte("tried\n")); err != nil {
		return nil, err
	}
	if err := root.Remove("try"); err != nil {
		return nil, fmt.Errorf("remove a file: %w", err)
	}
	page, files, err := f.page(ctx, p)
	if err != nil {
		return nil, err
	}
	head, _, _ := strings.Cut(string(page[len("---\n"):]), "\n---\n")
	out := []string{"It can be written to. “" + p.Page.Title + "” would be " + path.Join(p.Outlet.Folder, p.Page.Slug+".md") + ", with this before it:", head}
	if len(files) > 0 {
		out = append(out, fmt.Sprintf("Beside it, in %s, go %d files.", path.Join(p.Outlet.Folder, p.Page.Slug), len(files)))
	}
	return out, nil
}

// open opens a folder, out of which nothing is reached.
func (f Folders) open(name string) (*os.Root, error) {
	if f.Below == "" {
		return nil, errors.New("the program was started without a folder that it may write to; start it with --folders")
	}
	if err := os.MkdirAll(f.Below, 0o755); err != nil {
		return nil, fmt.Errorf("make the folder: %w", err)
	}
	below, err := os.OpenRoot(f.Below)
	if err != nil {
		return nil, fmt.Errorf("open the folder: %w", err)
	}
	defer below.Close()
	if err := below.MkdirAll(name, 0o755); err != nil {
		return nil, fmt.Errorf("make the folder %s: %w", name, err)
	}
	return below.OpenRoot(name)
}

// put writes a file under another name first, so that who reads the folder sees a whole one.
func (f Folders) put(root *os.Root, name string, data []byte) error {
	write := f.write
	if write == nil {
		write = func(root *os.Root, name string, data []byte) error { return root.WriteFile(name, data, 0o644) }
	}
	part := path.Join(path.Dir(name), ".part-"+path.Base(name))
	if err := write(root, part, data); err != nil {
		root.Remove(part) // what cannot be removed is written over the next time
		return fmt.Errorf("write %s: %w", name, err)
	}
	if err := root.Rename(part, name); err != nil {
		return fmt.Errorf("put %s in its place: %w", name, err)
	}
	return nil
}

func remove(root *os.Root, slug string) error {
	if err := root.Remove(slug + ".md"); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return fmt.Errorf("remove the page: %w", err)
	}
	if err := root.RemoveAll(slug); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return fmt.Errorf("remove its pictures: %w", err)
	}
	return nil
}

type folderFile struct {
	file ref.File
	name string
}

func frontLinks(all []newsroom.Linked) []format.FrontLink {
	var out []format.FrontLink
	for _, l := range all {
		out = append(out, format.FrontLink(l))
	}
	return out
}

// page writes the Markdown of a page, and names the files that go with it. A picture that is not
// there any more is left out.
func (f Folders) page(ctx context.Context, p *newsroom.Parcel) ([]byte, []folderFile, error) {
	x := &p.Page
	names := map[ref.File]string{}
	var files []folderFile
	add := func(file ref.File) error {
		if file == 0 || names[file] != "" {
			return nil
		}
		data, err := p.Open(ctx, file)
		if errors.Is(err, newsroom.ErrNotFound) {
			return nil
		} else if err != nil {
			return err
		}
		name := fmt.Sprintf("%d-%s", len(files)+1, format.FileName(data.Name, data.Type))
		names[file] = x.Slug + "/" + name
		files = append(files, folderFile{file, name})
		return nil
	}
	for _, file := range append(copy.Change(x.Copy).Pictures(), x.Lead, x.Sound.File) {
		if err := add(file); err != nil {
			return nil, nil, err
		}
	}
	head := format.FrontMatter{
		Title: x.Title, Description: x.Summary, Slug: x.Slug, Number: x.Number, Author: x.Author, Date: x.First, Tags: x.Tags, Image: names[x.Lead], ImageAlt: x.LeadAlt,
		Related: frontLinks(x.Related), Next: frontLinks(x.Next), Correction: x.Note,
	}
	if x.Sound.File != 0 {
		head.Recording, head.Seconds, head.Chapters = names[x.Sound.File], x.Sound.Seconds, x.Chapters
	}
	if x.At.After(x.First) {
		head.Updated = x.At
	}
	if was := p.Media[slugKey]; was != "" && was != x.Slug {
		head.MovedFrom = was
	}
	for _, y := range x.Fields {
		head.Fields = append(head.Fields, format.FrontField{Name: y.Name, Text: y.Text})
	}
	text := x.Copy.WithPictures(func(file ref.File) bool { return names[file] != "" })
	page, err := head.Page(format.Markdown(text, func(file ref.File) string { return names[file] }))
	return page, files, err
}
